/** The fields that each known kind has, as a tree: what can be written where. Source: the Kubernetes API reference of 1.33. */

export interface Outline {
  readonly [field: string]: Outline
}

const leaf: Outline = {}
const fields = (names: string, more: Outline = {}): Outline => ({
  ...Object.fromEntries(names.split(' ').map((name) => [name, leaf])),
  ...more,
})

const selector = fields('', { matchLabels: leaf, matchExpressions: fields('key operator values') })
const metadata = fields('name namespace labels annotations')
const resources = fields('', {
  requests: fields('cpu memory ephemeral-storage'),
  limits: fields('cpu memory ephemeral-storage'),
})
const handler = {
  httpGet: fields('path port scheme host'),
  tcpSocket: fields('port host'),
  exec: fields('command'),
  grpc: fields('port service'),
}
const probe = fields(
  'initialDelaySeconds periodSeconds timeoutSeconds successThreshold failureThreshold',
  handler,
)
const keyRef = fields('name key optional')
const env = fields('name value', {
  valueFrom: {
    configMapKeyRef: keyRef,
    secretKeyRef: keyRef,
    fieldRef: fields('fieldPath'),
    resourceFieldRef: fields('resource containerName'),
  },
})
const container = fields('name image imagePullPolicy command args workingDir restartPolicy', {
  env,
  envFrom: {
    prefix: leaf,
    configMapRef: fields('name optional'),
    secretRef: fields('name optional'),
  },
  ports: fields('name containerPort hostPort hostIP protocol'),
  resources,
  volumeMounts: fields('name mountPath subPath readOnly'),
  livenessProbe: probe,
  readinessProbe: probe,
  startupProbe: probe,
  lifecycle: { postStart: handler, preStop: handler },
  securityContext: fields(
    'runAsUser runAsGroup runAsNonRoot readOnlyRootFilesystem allowPrivilegeEscalation privileged',
    { capabilities: fields('add drop') },
  ),
})
const nodeTerm = {
  matchExpressions: fields('key operator values'),
  matchFields: fields('key operator values'),
}
const podTerm = fields('topologyKey namespaces', {
  labelSelector: selector,
  namespaceSelector: selector,
})
const podAffinity = {
  requiredDuringSchedulingIgnoredDuringExecution: podTerm,
  preferredDuringSchedulingIgnoredDuringExecution: fields('weight', { podAffinityTerm: podTerm }),
}
const volume = fields('name', {
  configMap: fields('name optional defaultMode', { items: fields('key path') }),
  secret: fields('secretName optional defaultMode', { items: fields('key path') }),
  emptyDir: fields('medium sizeLimit'),
  hostPath: fields('path type'),
  persistentVolumeClaim: fields('claimName readOnly'),
})
const podSpec: Outline = fields(
  'serviceAccountName nodeSelector priorityClassName restartPolicy terminationGracePeriodSeconds hostNetwork schedulerName automountServiceAccountToken dnsPolicy',
  {
    containers: container,
    initContainers: container,
    volumes: volume,
    tolerations: fields('key operator value effect tolerationSeconds'),
    affinity: {
      nodeAffinity: {
        requiredDuringSchedulingIgnoredDuringExecution: { nodeSelectorTerms: nodeTerm },
        preferredDuringSchedulingIgnoredDuringExecution: fields('weight', { preference: nodeTerm }),
      },
      podAffinity,
      podAntiAffinity: podAffinity,
    },
    topologySpreadConstraints: fields(
      'maxSkew topologyKey whenUnsatisfiable minDomains nodeAffinityPolicy nodeTaintsPolicy matchLabelKeys',
      { labelSelector: selector },
    ),
    securityContext: fields('runAsUser runAsGroup runAsNonRoot fsGroup'),
    imagePullSecrets: fields('name'),
  },
)
const template = { metadata, spec: podSpec }
const claimSpec = fields('accessModes storageClassName volumeName volumeMode', {
  resources: { requests: fields('storage') },
})
const jobSpec = fields(
  'completions parallelism backoffLimit activeDeadlineSeconds ttlSecondsAfterFinished',
  { template },
)
const scalingRules = fields('stabilizationWindowSeconds selectPolicy', {
  policies: fields('type value periodSeconds'),
})
const metricTarget = fields('type averageValue averageUtilization value')
const subjects = fields('kind name namespace apiGroup')
const roleRef = fields('apiGroup kind name')
const rules = fields('apiGroups resources verbs resourceNames nonResourceURLs')
const peers = { podSelector: selector, namespaceSelector: selector, ipBlock: fields('cidr except') }
const policyPorts = fields('protocol port endPort')
const backendService = { service: fields('name', { port: fields('name number') }) }

const specs: Readonly<Record<string, Outline>> = {
  Namespace: {},
  Pod: { spec: podSpec },
  Deployment: {
    spec: fields('replicas minReadySeconds progressDeadlineSeconds revisionHistoryLimit paused', {
      selector,
      strategy: fields('type', { rollingUpdate: fields('maxSurge maxUnavailable') }),
      template,
    }),
  },
  ReplicaSet: { spec: fields('replicas minReadySeconds', { selector, template }) },
  StatefulSet: {
    spec: fields('replicas serviceName podManagementPolicy minReadySeconds', {
      selector,
      template,
      updateStrategy: fields('type', { rollingUpdate: fields('partition maxUnavailable') }),
      volumeClaimTemplates: { metadata, spec: claimSpec },
    }),
  },
  DaemonSet: {
    spec: fields('minReadySeconds', {
      selector,
      template,
      updateStrategy: fields('type', { rollingUpdate: fields('maxSurge maxUnavailable') }),
    }),
  },
  Job: { spec: jobSpec },
  CronJob: {
    spec: fields(
      'schedule timeZone concurrencyPolicy suspend startingDeadlineSeconds successfulJobsHistoryLimit failedJobsHistoryLimit',
      { jobTemplate: { metadata, spec: jobSpec } },
    ),
  },
  ConfigMap: fields('data binaryData immutable'),
  Secret: fields('type data stringData immutable'),
  ServiceAccount: fields('automountServiceAccountToken', { imagePullSecrets: fields('name') }),
  Role: { rules },
  ClusterRole: { rules },
  RoleBinding: { roleRef, subjects },
  ClusterRoleBinding: { roleRef, subjects },
  ResourceQuota: {
    spec: {
      hard: fields(
        'pods cpu memory requests.cpu requests.memory limits.cpu limits.memory requests.storage persistentvolumeclaims',
      ),
    },
  },
  LimitRange: {
    spec: {
      limits: fields('type', {
        default: fields('cpu memory'),
        defaultRequest: fields('cpu memory'),
        max: fields('cpu memory'),
        min: fields('cpu memory'),
      }),
    },
  },
  PriorityClass: fields('value globalDefault preemptionPolicy description'),
  PodDisruptionBudget: {
    spec: fields('minAvailable maxUnavailable unhealthyPodEvictionPolicy', { selector }),
  },
  HorizontalPodAutoscaler: {
    spec: fields('minReplicas maxReplicas', {
      scaleTargetRef: fields('apiVersion kind name'),
      metrics: fields('type', {
        resource: fields('name', { target: metricTarget }),
        pods: { metric: fields('name', { selector }), target: metricTarget },
      }),
      behavior: { scaleUp: scalingRules, scaleDown: scalingRules },
    }),
  },
  Service: {
    spec: fields(
      'type clusterIP externalName externalTrafficPolicy internalTrafficPolicy loadBalancerIP selector sessionAffinity publishNotReadyAddresses',
      { ports: fields('name port targetPort protocol nodePort appProtocol') },
    ),
  },
  EndpointSlice: fields('addressType', {
    endpoints: fields('addresses nodeName zone', {
      conditions: fields('ready serving terminating'),
      targetRef: fields('kind namespace name'),
    }),
    ports: fields('name port protocol'),
  }),
  Ingress: {
    spec: fields('ingressClassName', {
      tls: fields('hosts secretName'),
      defaultBackend: backendService,
      rules: fields('host', {
        http: { paths: fields('path pathType', { backend: backendService }) },
      }),
    }),
  },
  NetworkPolicy: {
    spec: fields('policyTypes', {
      podSelector: selector,
      ingress: { from: peers, ports: policyPorts },
      egress: { to: peers, ports: policyPorts },
    }),
  },
  PersistentVolumeClaim: { spec: claimSpec },
  StorageClass: fields(
    'provisioner reclaimPolicy volumeBindingMode allowVolumeExpansion parameters mountOptions',
    { allowedTopologies: { matchLabelExpressions: fields('key values') } },
  ),
}

/** The fields a kind has at a path of field names (list items have no name of their own); none for what is not known. */
export function fieldsAt(kind: string, path: readonly string[]): readonly string[] {
  const outline = Object.hasOwn(specs, kind) ? specs[kind] : undefined
  let at: Outline | undefined = { apiVersion: leaf, kind: leaf, metadata, ...outline }
  for (const field of path) at = at && Object.hasOwn(at, field) ? at[field] : undefined
  return Object.keys(at ?? {}).filter((name) => name !== '')
}

const dashes = /^ *((?:- +)*)/

/**
 * The kind of the document that a line of block-style YAML is in, and the names of the fields it is within, outermost
 * first. `line` counts from 0; `column` is where its own field begins, for a line that is still empty.
 */
export function placeIn(
  text: string,
  line: number,
  column = 0,
): { readonly kind: string; readonly path: readonly string[] } {
  const lines = text.split('\n')
  const isEnd = (name: string | undefined): boolean => name === undefined || name.startsWith('---')
  let from = line
  while (from > 0 && !isEnd(lines[from - 1])) from--
  let to = line + 1
  while (!isEnd(lines[to])) to++
  const kind =
    lines.slice(from, to).flatMap((name) => /^kind:\s*["']?(\w+)/.exec(name)?.[1] ?? [])[0] ?? ''
  const open: { readonly column: number; readonly name: string }[] = []
  for (let i = from; i <= line; i++) {
    const entry = lines[i] ?? ''
    const content = entry.trim()
    if (i < line && (content === '' || content.startsWith('#'))) continue
    const lead = dashes.exec(entry)
    const begins = content === '' ? column : (lead?.[0].length ?? 0)
    const dash = (lead?.[1] ?? '') === '' ? null : (/^ */.exec(entry)?.[0].length ?? 0)
    // A list may begin at the column of its own field, which stays open.
    while (
      open.length > 0 &&
      (dash === null ? (open.at(-1)?.column ?? 0) >= begins : (open.at(-1)?.column ?? 0) > dash)
    )
      open.pop()
    const name = /^["']?([\w./-]+)["']?:(\s|$)/.exec(entry.slice(begins))?.[1]
    if (i < line && name !== undefined) open.push({ column: begins, name })
  }
  return { kind, path: open.map(({ name }) => name) }
}
