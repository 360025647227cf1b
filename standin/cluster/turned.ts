/** Objects of a cluster that somebody turned: a service that selects nobody, or leads to a port where nobody listens; a webhook that closes everything. */
import { asText } from '../../core/objects'
import type { Sim } from '../engine/sim'
import { fillWorkload, refill } from './controllers'
import { loads } from './placing'
import { removePod } from './pods'
import { podKey, record } from './pod-events'
import { addService } from './add-ons'
import { store, writtenObject } from './stored'
import { list, record as fields, objectKey } from './manifests'
import type { Cluster, Manifest, Pod, Workload } from '../world'
import { networkLost } from './conditions'
import { agedGate, agedWebhook } from './aged-gate'

const serviceOf = (cluster: Cluster, namespace: string, name: string): Manifest | undefined =>
  writtenObject(cluster, {
    apiVersion: 'v1',
    kind: 'Service',
    metadata: { namespace, name },
  })

/** What stood there, as it is put back; null where nothing did. */
export type Before = readonly { readonly key: string; readonly object: Manifest | null }[]

/** A service whose selector, or target port, is not that of its pods any more. */
export function turnService(
  sim: Sim,
  cluster: Cluster,
  namespace: string,
  name: string,
  what: 'selector' | 'port',
): Before {
  const service = serviceOf(cluster, namespace, name)
  if (!service) return []
  const spec = fields(service['spec'])
  const selector = fields(spec['selector'])
  const [first] = Object.keys(selector)
  const turned: Manifest = {
    ...service,
    spec:
      what === 'selector'
        ? {
            ...spec,
            selector: {
              ...selector,
              ...(first ? { [first]: `${asText(selector[first])}-next` } : {}),
            },
          }
        : {
            ...spec,
            ports: list(spec['ports']).map((port) => ({ ...fields(port), targetPort: 18_080 })),
          },
  }
  store(sim, cluster, turned)
  sim.touchCluster(cluster.name)
  return [{ key: objectKey(service), object: service }]
}

const gate = 'orchard-gate'
const gateService = 'policy-webhook'

/** Asked about every pod, or about those of one namespace. */
const gateConfiguration = (namespace: string | null): Manifest => ({
  apiVersion: 'admissionregistration.k8s.io/v1',
  kind: 'ValidatingWebhookConfiguration',
  metadata: { name: gate },
  webhooks: [
    {
      name: 'pods.orchard-gate.fernhollow.example',
      failurePolicy: 'Fail',
      sideEffects: 'None',
      admissionReviewVersions: ['v1'],
      timeoutSeconds: 10,
      clientConfig: {
        service: { namespace: 'platform', name: gateService, port: 9443, path: '/pods' },
      },
      ...(namespace === null
        ? {}
        : { namespaceSelector: { matchLabels: { 'kubernetes.io/metadata.name': namespace } } }),
      rules: [
        { apiGroups: [''], apiVersions: ['v1'], operations: ['CREATE'], resources: ['pods'] },
      ],
    },
  ],
})

/** Has the policy webhook asked, where it is not yet; what stood there. */
function installGate(sim: Sim, cluster: Cluster, webhooks: Manifest): Before {
  if (!serviceOf(cluster, 'platform', gateService))
    addService(cluster, {
      apiVersion: 'v1',
      kind: 'Service',
      metadata: { namespace: 'platform', name: gateService },
      spec: { selector: { app: gateService }, ports: [{ port: 9443, targetPort: 9443 }] },
    })
  const before = writtenObject(cluster, webhooks) ?? null
  store(sim, cluster, webhooks)
  return [{ key: objectKey(webhooks), object: before }]
}

function startAnew(sim: Sim, cluster: Cluster, gone: readonly Pod[]): void {
  for (const pod of gone) {
    record(
      sim,
      cluster,
      'Normal',
      'Killing',
      `pod/${podKey(pod)}`,
      `Stopping container ${pod.workload}`,
    )
    removePod(sim, cluster, pod)
  }
  refill(sim, cluster, gone)
}

/** What an older policy webhook is asked about, in versions that it knows and in those that came since. */
const turningRules = [
  { apiGroups: ['policy'], apiVersions: ['v1beta1', 'v1'], resources: ['poddisruptionbudgets'] },
  {
    apiGroups: ['autoscaling'],
    apiVersions: ['v1', 'v2beta2', 'v2'],
    resources: ['horizontalpodautoscalers'],
  },
  { apiGroups: ['batch'], apiVersions: ['v1beta1', 'v1'], resources: ['cronjobs'] },
  { apiGroups: ['networking.k8s.io'], apiVersions: ['v1beta1', 'v1'], resources: ['ingresses'] },
]

/** The policy webhook is asked about kinds of which it knows no newer version than the one that goes. */
export function ageGate(sim: Sim, cluster: Cluster): Before {
  const before = installGate(sim, cluster, {
    ...gateConfiguration(null),
    metadata: { name: agedGate },
    webhooks: list(gateConfiguration(null)['webhooks'])
      .map(fields)
      .map(({ rules: _rules, ...webhook }) => ({
        ...webhook,
        name: agedWebhook,
        rules: turningRules.map((rule) => ({ ...rule, operations: ['CREATE', 'UPDATE'] })),
      })),
  })
  sim.touchCluster(cluster.name)
  return before
}

/** The policy webhook answers later than the API waits: the pod of a workload that starts anew is not let in. */
export function slowGate(sim: Sim, cluster: Cluster, { namespace, name }: Workload): Before {
  const before = installGate(sim, cluster, gateConfiguration(namespace))
  const pod = cluster.running.find((each) => each.namespace === namespace && each.workload === name)
  if (pod) startAnew(sim, cluster, [pod])
  return before
}

/**
 * The policy webhook is asked about the platform’s own pods too, fails closed, and its pods are gone: nothing can be made
 * any more, neither they nor the pod network of a node that is started again.
 */
export function closeGate(sim: Sim, cluster: Cluster, nodeName: string): Before {
  const before = installGate(sim, cluster, gateConfiguration(null))
  startAnew(
    sim,
    cluster,
    cluster.running.filter(
      (pod) =>
        (pod.namespace === 'platform' && pod.workload === gateService) ||
        (pod.workload === 'pod-network' && pod.node === nodeName),
    ),
  )
  const node = cluster.nodes.find((each) => each.name === nodeName)
  if (node) networkLost(node, sim.now)
  sim.touchCluster(cluster.name)
  return before
}

/** Puts back what stood there, unless somebody has written it anew since. */
export function putBack(sim: Sim, cluster: Cluster, before: Before): void {
  for (const { key, object } of before) {
    if (object) store(sim, cluster, object)
    else cluster.objects = (cluster.objects ?? []).filter((each) => objectKey(each) !== key)
  }
  const load = loads(cluster)
  for (const workload of cluster.workloads)
    if (workload.refused !== undefined) fillWorkload(sim, cluster, workload, load)
  sim.touchCluster(cluster.name)
}
