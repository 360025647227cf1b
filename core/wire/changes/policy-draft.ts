/** A network policy out of calls that were seen: exactly those that are ticked are let in. */
import { parseAddress } from '../../addresses'
import type { TrafficView } from '../../fleet'
import { type ApiObject, podsOfWorkload, targetPort } from '../../objects'
import { policyIn, type PolicyEnd, type PolicyWorld } from '../policy'

/** Labels that tell a workload’s pods from others: what its controller adds for itself is left out. */
export function labelsOfWorkload(
  objects: readonly ApiObject[],
  key: string,
): Readonly<Record<string, string>> | null {
  const [pod] = podsOfWorkload(objects, key)
  if (!pod) return null
  const own = Object.entries(pod.metadata.labels ?? {}).filter(
    ([name]) =>
      name !== 'pod-template-hash' &&
      name !== 'controller-revision-hash' &&
      name !== 'statefulset.kubernetes.io/pod-name',
  )
  return own.length === 0 ? null : Object.fromEntries(own)
}

/** A policy that lets the ticked calls into a workload’s pods and nothing else; null if its pods cannot be told apart. */
export function policyFromCalls(
  objects: readonly ApiObject[],
  workload: string,
  ticked: readonly TrafficView[],
): Readonly<Record<string, unknown>> | null {
  const labels = labelsOfWorkload(objects, workload)
  if (!labels) return null
  const [namespace = ''] = workload.split('/')
  const ingress = ticked.map((flow) => {
    const [theirs = ''] = flow.from.split('/')
    const caller = flow.from.includes('/') ? labelsOfWorkload(objects, flow.from) : null
    const peer = caller
      ? {
          ...(theirs === namespace
            ? {}
            : { namespaceSelector: { matchLabels: { 'kubernetes.io/metadata.name': theirs } } }),
          podSelector: { matchLabels: caller },
        }
      : { ipBlock: { cidr: flow.from.includes(':') ? `${flow.from}/128` : `${flow.from}/32` } }
    return {
      from: [peer],
      ports: [{ protocol: 'TCP', port: targetPort(objects, flow.to, flow.port) }],
    }
  })
  return { podSelector: { matchLabels: labels }, policyTypes: ['Ingress'], ingress }
}

function callerOf(
  world: PolicyWorld,
  objects: readonly ApiObject[],
  from: string,
): PolicyEnd | null {
  if (from.includes('/')) {
    const [pod] = podsOfWorkload(objects, from)
    const end = pod && world.pods.get(`${pod.metadata.namespace ?? 'default'}/${pod.metadata.name}`)
    return end ? { pod: end } : null
  }
  const read = parseAddress(from)
  return read.ok ? { address: read.value } : null
}

/**
 * Policies there are (`namespace/name`) that let a call in whatever another one says, since they add to each other;
 * none where no policy isolates whom it calls.
 */
export function letInBy(
  world: PolicyWorld,
  objects: readonly ApiObject[],
  { from, to, port }: TrafficView,
): readonly string[] {
  const caller = callerOf(world, objects, from)
  const [callee] = podsOfWorkload(objects, to).flatMap(
    ({ metadata }) => world.pods.get(`${metadata.namespace ?? 'default'}/${metadata.name}`) ?? [],
  )
  if (!caller || !callee) return []
  const verdict = policyIn(world, caller, { pod: callee }, targetPort(objects, to, port), 'TCP')
  return verdict.isolated && verdict.allowed ? verdict.by : []
}
