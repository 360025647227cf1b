/**
 * What an API fills in where an object does not say: an object as everybody reads it, whatever its writer left out.
 * Source: the defaults of the Kubernetes API reference.
 */
import { isRecord, type Json, record, text } from './json'

type Defaults = (given: Json) => Json

/** A map with what it does not say filled in. */
const filled =
  (defaults: Json): Defaults =>
  (given) => ({ ...defaults, ...withoutEmpty(given) })

/** What is written as null is as if it were not written. */
const withoutEmpty = (given: Json): Json =>
  Object.values(given).some((value) => value === null || value === undefined)
    ? Object.fromEntries(
        Object.entries(given).filter(([, value]) => value !== null && value !== undefined),
      )
    : given

/** A map in which some fields are filled in by rules of their own, where they are there. */
function within(given: Json, parts: Readonly<Record<string, Defaults>>): Json {
  let result = given
  for (const [field, defaults] of Object.entries(parts)) {
    const inner = given[field]
    if (isRecord(inner)) result = { ...result, [field]: defaults(inner) }
    else if (Array.isArray(inner))
      result = { ...result, [field]: inner.map((item) => (isRecord(item) ? defaults(item) : item)) }
  }
  return result
}

const handler: Defaults = (given) =>
  within(given, { httpGet: filled({ path: '/', scheme: 'HTTP' }), grpc: filled({ service: '' }) })

const probe: Defaults = (given) => ({
  timeoutSeconds: 1,
  periodSeconds: 10,
  successThreshold: 1,
  failureThreshold: 3,
  ...handler(given),
})

const protocol = filled({ protocol: 'TCP' })

/** An image whose tag may stand for another tomorrow is pulled each time. */
const pullPolicy = (image: string): string =>
  /:latest$/.test(image) || !/[:@][^/]*$/.test(image) ? 'Always' : 'IfNotPresent'

/** Where nothing is asked for, what is allowed is asked for. */
function resources(given: Json): Json {
  const limits = record(given['limits'])
  return Object.keys(limits).length === 0
    ? given
    : { ...given, requests: { ...limits, ...record(given['requests']) } }
}

const container: Defaults = (given) => ({
  terminationMessagePath: '/dev/termination-log',
  terminationMessagePolicy: 'File',
  imagePullPolicy: pullPolicy(text(given['image'])),
  resources: {},
  ...within(withoutEmpty(given), {
    ports: protocol,
    resources,
    livenessProbe: probe,
    readinessProbe: probe,
    startupProbe: probe,
    lifecycle: (hooks) => within(hooks, { postStart: handler, preStop: handler }),
    env: (entry) =>
      within(entry, {
        valueFrom: (from) => within(from, { fieldRef: filled({ apiVersion: 'v1' }) }),
      }),
  }),
})

const files = filled({ defaultMode: 420 })

const volume: Defaults = (given) =>
  within(given, {
    configMap: files,
    secret: files,
    projected: files,
    downwardAPI: files,
    hostPath: filled({ type: '' }),
  })

const podSpec: Defaults = (given) => ({
  restartPolicy: 'Always',
  terminationGracePeriodSeconds: 30,
  dnsPolicy: 'ClusterFirst',
  schedulerName: 'default-scheduler',
  securityContext: {},
  ...within(withoutEmpty(given), {
    containers: container,
    initContainers: container,
    volumes: volume,
  }),
})

/** A pod template as it is read. */
export const defaultedTemplate: Defaults = (given) =>
  within({ ...given, spec: record(given['spec']) }, { metadata: withoutEmpty, spec: podSpec })

/** The spec of what makes pods: its own defaults, and those of its template. */
const withTemplate =
  (defaults: (spec: Json) => Json): Defaults =>
  (spec) => ({ ...defaults(spec), ...within(withoutEmpty(spec), { template: defaultedTemplate }) })

const rolling = (usual: Json): Defaults => {
  const defaults = filled(usual)
  return (given) =>
    text(given['type']) === '' || given['type'] === 'RollingUpdate'
      ? { type: 'RollingUpdate', rollingUpdate: defaults(record(given['rollingUpdate'])) }
      : given
}

const deploymentStrategy = rolling({ maxSurge: '25%', maxUnavailable: '25%' })
const daemonStrategy = rolling({ maxSurge: 0, maxUnavailable: 1 })
const statefulStrategy = rolling({ partition: 0 })

const claimSpec = filled({ volumeMode: 'Filesystem' })

const jobSpec = withTemplate((spec) => ({
  ...(spec['parallelism'] === undefined && spec['completions'] === undefined
    ? { completions: 1 }
    : {}),
  parallelism: 1,
  backoffLimit: 6,
  completionMode: 'NonIndexed',
  suspend: false,
}))

function serviceSpec(spec: Json): Json {
  const given = withoutEmpty(spec)
  const type = text(given['type']) || 'ClusterIP'
  if (type === 'ExternalName') return { sessionAffinity: 'None', ...given, type }
  const address = text(given['clusterIP'])
  const isOutside = type === 'NodePort' || type === 'LoadBalancer'
  return {
    ...(address === '' ? {} : { clusterIPs: [address] }),
    internalTrafficPolicy: 'Cluster',
    ipFamilies: [address.includes(':') ? 'IPv6' : 'IPv4'],
    ipFamilyPolicy: 'SingleStack',
    sessionAffinity: 'None',
    ...(isOutside ? { externalTrafficPolicy: 'Cluster' } : {}),
    ...(type === 'LoadBalancer' ? { allocateLoadBalancerNodePorts: true } : {}),
    ...within(given, {
      ports: (port) => ({ protocol: 'TCP', targetPort: port['port'], ...withoutEmpty(port) }),
    }),
    type,
  }
}

function networkPolicySpec(spec: Json): Json {
  const given = withoutEmpty(spec)
  const rule: Defaults = (entry) => within(entry, { ports: protocol })
  return {
    policyTypes: ['Ingress', ...(given['egress'] === undefined ? [] : ['Egress'])],
    ...within(given, { ingress: rule, egress: rule }),
  }
}

const webhook = filled({
  failurePolicy: 'Fail',
  matchPolicy: 'Equivalent',
  namespaceSelector: {},
  objectSelector: {},
  timeoutSeconds: 10,
})
const webhooks: Defaults = (object) =>
  within(object, { webhooks: (entry) => within(webhook(entry), { rules: filled({ scope: '*' }) }) })

const roleGroup = 'rbac.authorization.k8s.io'
const binding: Defaults = (object) =>
  within(object, {
    roleRef: filled({ apiGroup: roleGroup }),
    subjects: (subject) =>
      subject['kind'] === 'ServiceAccount' ? subject : { apiGroup: roleGroup, ...subject },
  })

/** Objects whose spec alone has defaults. */
const ofSpec =
  (defaults: Defaults): Defaults =>
  (object) => ({ ...object, spec: defaults(record(object['spec'])) })

const kinds: Readonly<Record<string, Defaults>> = {
  Pod: ofSpec((spec) => ({
    enableServiceLinks: true,
    serviceAccountName: 'default',
    preemptionPolicy: 'PreemptLowerPriority',
    priority: 0,
    ...podSpec(spec),
  })),
  Deployment: ofSpec((spec) =>
    within(
      withTemplate(() => ({
        replicas: 1,
        revisionHistoryLimit: 10,
        progressDeadlineSeconds: 600,
        strategy: {},
      }))(spec),
      { strategy: deploymentStrategy },
    ),
  ),
  ReplicaSet: ofSpec(withTemplate(() => ({ replicas: 1 }))),
  StatefulSet: ofSpec((spec) =>
    within(
      withTemplate(() => ({
        replicas: 1,
        revisionHistoryLimit: 10,
        podManagementPolicy: 'OrderedReady',
        updateStrategy: {},
        persistentVolumeClaimRetentionPolicy: { whenDeleted: 'Retain', whenScaled: 'Retain' },
      }))(spec),
      { updateStrategy: statefulStrategy, volumeClaimTemplates: ofSpec(claimSpec) },
    ),
  ),
  DaemonSet: ofSpec((spec) =>
    within(withTemplate(() => ({ revisionHistoryLimit: 10, updateStrategy: {} }))(spec), {
      updateStrategy: daemonStrategy,
    }),
  ),
  Job: ofSpec(jobSpec),
  CronJob: ofSpec((spec) => ({
    concurrencyPolicy: 'Allow',
    suspend: false,
    successfulJobsHistoryLimit: 3,
    failedJobsHistoryLimit: 1,
    ...within(withoutEmpty(spec), {
      jobTemplate: (template) =>
        within(template, {
          // Counts of a job are filled in when it is made.
          spec: (job) => within(job, { template: defaultedTemplate }),
        }),
    }),
  })),
  Service: ofSpec(serviceSpec),
  PersistentVolumeClaim: ofSpec(claimSpec),
  PersistentVolume: ofSpec(
    filled({ persistentVolumeReclaimPolicy: 'Retain', volumeMode: 'Filesystem' }),
  ),
  StorageClass: filled({ reclaimPolicy: 'Delete', volumeBindingMode: 'Immediate' }),
  Secret: filled({ type: 'Opaque' }),
  HorizontalPodAutoscaler: ofSpec(filled({ minReplicas: 1 })),
  NetworkPolicy: ofSpec(networkPolicySpec),
  PriorityClass: filled({ preemptionPolicy: 'PreemptLowerPriority' }),
  MutatingWebhookConfiguration: webhooks,
  ValidatingWebhookConfiguration: webhooks,
  RoleBinding: binding,
  ClusterRoleBinding: binding,
  Namespace: ofSpec(filled({ finalizers: ['kubernetes'] })),
}

/** An object as an API tells it, with what its writer did not say; the object itself where its kind has no defaults. */
export function defaulted(object: Json): Json {
  const defaults = kinds[text(object['kind'])]
  return defaults ? defaults(object) : object
}

/** Whether two values are alike, in whatever order their fields are. */
export function isAlike(left: unknown, right: unknown): boolean {
  if (left === right) return true
  if (Array.isArray(left) && Array.isArray(right))
    return left.length === right.length && left.every((item, i) => isAlike(item, right[i]))
  if (!isRecord(left) || !isRecord(right)) return false
  const fields = Object.keys(left)
  return (
    fields.length === Object.keys(right).length &&
    fields.every((field) => Object.hasOwn(right, field) && isAlike(left[field], right[field]))
  )
}

/** Whether two pod templates make the same pods: in whatever order, and whether or not they say what goes without saying. */
export const isSameTemplate = (left: Json, right: Json): boolean =>
  isAlike(defaultedTemplate(left), defaultedTemplate(right))
