/** A network policy out of calls that were seen: exactly those that are ticked are let in. */
import type { TrafficView } from '../fleet'
import type { ApiObject } from '../objects'

interface PodLike {
  readonly kind: string
  readonly metadata: { readonly name: string; readonly namespace?: string; readonly labels?: Readonly<Record<string, string>> }
}

/** Labels that tell a workload’s pods from others: what its controller adds for itself is left out. */
export function labelsOfWorkload(objects: readonly ApiObject[], key: string): Readonly<Record<string, string>> | null {
  const [namespace = '', workload = ''] = key.split('/')
  const pod = (objects as unknown as readonly PodLike[]).find((object) => object.kind === 'Pod' && (object.metadata.namespace ?? 'default') === namespace && object.metadata.name.startsWith(`${workload}-`))
  if (!pod) return null
  const own = Object.entries(pod.metadata.labels ?? {}).filter(([name]) => name !== 'pod-template-hash' && name !== 'controller-revision-hash' && name !== 'statefulset.kubernetes.io/pod-name')
  return own.length === 0 ? null : Object.fromEntries(own)
}

/** The port on which a service’s pods listen. */
function targetOf(objects: readonly ApiObject[], service: string, port: number): number {
  const [namespace = '', name = ''] = service.split('/')
  const slice = objects.find((object) => object.kind === 'EndpointSlice' && object.metadata?.namespace === namespace && (object.metadata.name ?? '').startsWith(`${name}-`)) as { ports?: readonly { port?: number }[] } | undefined
  return slice?.ports?.[0]?.port ?? port
}

/** A policy that lets the ticked calls into a workload’s pods and nothing else; null if its pods cannot be told apart. */
export function policyFromCalls(objects: readonly ApiObject[], workload: string, ticked: readonly TrafficView[]): Readonly<Record<string, unknown>> | null {
  const labels = labelsOfWorkload(objects, workload)
  if (!labels) return null
  const [namespace = ''] = workload.split('/')
  const ingress = ticked.map((flow) => {
    const [theirs = ''] = flow.from.split('/')
    const caller = flow.from.includes('/') ? labelsOfWorkload(objects, flow.from) : null
    const peer = caller ? { ...(theirs === namespace ? {} : { namespaceSelector: { matchLabels: { 'kubernetes.io/metadata.name': theirs } } }), podSelector: { matchLabels: caller } } : { ipBlock: { cidr: flow.from.includes(':') ? `${flow.from}/128` : `${flow.from}/32` } }
    return { from: [peer], ports: [{ protocol: 'TCP', port: targetOf(objects, flow.to, flow.port) }] }
  })
  return { podSelector: { matchLabels: labels }, policyTypes: ['Ingress'], ingress }
}
