/** Network policies as an overlay enforces them. */

import type { Cluster, Manifest, Pod } from '../cluster-state'
import { workloadOf } from '../cluster/fits'
import { record as fields, list, podLabels, templateOf, text } from '../cluster/manifests'
import { covers } from './ranges'
import type { Packet } from './packet'
import { podAt } from './packet'
import { same } from './packet'

export function selects(selector: unknown, labels: Readonly<Record<string, string>>): boolean {
  const wanted = fields(fields(selector)['matchLabels'])
  if (Object.keys(wanted).some((key) => labels[key] !== wanted[key])) return false
  return list(fields(selector)['matchExpressions'])
    .map(fields)
    .every((entry) => {
      const value = labels[text(entry['key'])]
      const values = list(entry['values']).map(text)
      if (entry['operator'] === 'Exists') return value !== undefined
      if (entry['operator'] === 'DoesNotExist') return value === undefined
      if (entry['operator'] === 'In') return value !== undefined && values.includes(value)
      return entry['operator'] === 'NotIn' && (value === undefined || !values.includes(value))
    })
}

export function namespaceLabels(cluster: Cluster, name: string): Readonly<Record<string, string>> {
  const object = (cluster.objects ?? []).find(
    (object) => object.kind === 'Namespace' && object.metadata.name === name,
  )
  return { ...object?.metadata.labels, 'kubernetes.io/metadata.name': name }
}

export const labelsOf = (cluster: Cluster, pod: Pod): Readonly<Record<string, string>> =>
  podLabels(workloadOf(cluster, pod), pod)
export function namedPort(
  cluster: Cluster,
  pod: Pod,
  name: string,
  protocol: string,
): number | null {
  const workload = workloadOf(cluster, pod)
  const ports = workload
    ? list(fields(templateOf(workload, pod.hash)['spec'])['containers'])
        .flatMap((container) => list(fields(container)['ports']))
        .map(fields)
    : []
  const matchingPort = ports.find(
    (port) => port['name'] === name && (text(port['protocol']) || 'TCP') === protocol,
  )
  return matchingPort ? Number(matchingPort['containerPort']) : null
}

export function letsThrough(
  cluster: Cluster,
  policy: Manifest,
  way: 'ingress' | 'egress',
  candidate: { readonly pod: Pod | undefined; readonly address: string },
  goal: Pod | undefined,
  packet: Packet,
): boolean {
  return list(fields(policy['spec'])[way])
    .map(fields)
    .some((rule) => {
      const peers = list(rule[way === 'ingress' ? 'from' : 'to']).map(fields)
      const ports = list(rule['ports']).map(fields)
      const portGood =
        ports.length === 0 ||
        ports.some((port) => {
          if ((text(port['protocol']) || 'TCP') !== packet.protocol) return false
          const wanted = port['port']
          if (wanted === undefined) return true
          if (typeof wanted === 'number')
            return packet.port >= wanted && packet.port <= Number(port['endPort'] ?? wanted)
          return (
            goal !== undefined &&
            namedPort(cluster, goal, text(wanted), packet.protocol) === packet.port
          )
        })
      if (!portGood) return false
      return (
        peers.length === 0 ||
        peers.some((peer) => {
          const block = fields(peer['ipBlock'])
          if (peer['ipBlock'] !== undefined)
            return (
              covers(text(block['cidr']), candidate.address) &&
              !list(block['except']).some((no) => covers(text(no), candidate.address))
            )
          if (
            !candidate.pod ||
            (peer['podSelector'] === undefined && peer['namespaceSelector'] === undefined)
          )
            return false
          const space =
            peer['namespaceSelector'] === undefined
              ? candidate.pod.namespace === policy.metadata.namespace
              : selects(
                  peer['namespaceSelector'],
                  namespaceLabels(cluster, candidate.pod.namespace),
                )
          return (
            space &&
            (peer['podSelector'] === undefined ||
              selects(peer['podSelector'], labelsOf(cluster, candidate.pod)))
          )
        })
      )
    })
}

/** The policies that stand against a packet at one end, joined; empty if it passes. */
export function policyAgainst(
  cluster: Cluster,
  pod: Pod,
  way: 'ingress' | 'egress',
  packet: Packet,
): string {
  const far = way === 'ingress' ? packet.source : packet.destination
  const otherPod = podAt(cluster, far)
  const goal = way === 'ingress' ? pod : otherPod
  const isolating = (cluster.objects ?? []).filter((object) => {
    if (object.kind !== 'NetworkPolicy' || object.metadata.namespace !== pod.namespace) return false
    const spec = fields(object['spec'])
    const said = list(spec['policyTypes']).map(text)
    const types =
      said.length > 0 ? said : ['Ingress', ...(list(spec['egress']).length > 0 ? ['Egress'] : [])]
    return (
      types.includes(way === 'ingress' ? 'Ingress' : 'Egress') &&
      selects(spec['podSelector'], labelsOf(cluster, pod))
    )
  })
  if (isolating.length === 0 || otherPod === pod) return ''
  const node = cluster.nodes.find((node) => node.name === pod.node)
  if (!otherPod && node && same(node.address, far)) return ''
  if (
    isolating.some((policy) =>
      letsThrough(cluster, policy, way, { pod: otherPod, address: far }, goal, packet),
    )
  )
    return ''
  return isolating
    .map((policy) => `${policy.metadata.namespace ?? ''}/${policy.metadata.name}`)
    .sort()
    .join(', ')
}
