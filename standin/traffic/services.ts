/** Services as the nodes of a cluster carry them. */

import type { Cluster, Manifest, Pod, Service } from '../cluster-state'
import { list, record as fields, text, isReadyPod } from '../cluster/manifests'
import { selects, labelsOf, namedPort } from './policies'

// Services

export interface ServicePort {
  readonly port: number
  readonly target: number | string
  readonly protocol: string
  readonly nodePort: number
  readonly name: string
}

/** A node port that stays the same as long as a service does. */
export function derivedNodePort(key: string): number {
  let hash = 7
  for (const char of key) hash = (hash * 31 + (char.codePointAt(0) ?? 0)) % 1_000_003
  return 30_000 + (hash % 2768)
}

export const writtenService = (
  cluster: Cluster,
  namespace: string,
  name: string,
): Manifest | undefined =>
  (cluster.objects ?? []).find(
    (object) =>
      object.kind === 'Service' &&
      object.metadata.namespace === namespace &&
      object.metadata.name === name,
  )

export function servicePorts(
  cluster: Cluster,
  service: { readonly namespace: string; readonly name: string; readonly port: number },
): readonly ServicePort[] {
  const written = writtenService(cluster, service.namespace, service.name)
  const ports = list(fields(written?.['spec'])['ports']).map(fields)
  if (ports.length === 0)
    return [
      {
        port: service.port,
        target: service.port,
        protocol: 'TCP',
        nodePort: derivedNodePort(`${service.namespace}/${service.name}/${service.port}`),
        name: '',
      },
    ]
  return ports.map((port) => ({
    port: Number(port['port']),
    target:
      typeof port['targetPort'] === 'number' || typeof port['targetPort'] === 'string'
        ? port['targetPort']
        : Number(port['port']),
    protocol: text(port['protocol']) || 'TCP',
    nodePort:
      typeof port['nodePort'] === 'number'
        ? port['nodePort']
        : derivedNodePort(`${service.namespace}/${service.name}/${Number(port['port'])}`),
    name: text(port['name']),
  }))
}

type Named = Pick<Service, 'namespace' | 'name' | 'workload'>

const selectorOf = (cluster: Cluster, { namespace, name }: Named): Record<string, unknown> =>
  fields(fields(writtenService(cluster, namespace, name)?.['spec'])['selector'])

/** Whether a service is one that chooses pods. */
export const choosesPods = (cluster: Cluster, service: Named): boolean =>
  service.workload !== '' || Object.keys(selectorOf(cluster, service)).length > 0

/** Pods behind a service that have an address, ready or not, by name. */
export function podsBehind(cluster: Cluster, service: Named): readonly Pod[] {
  const selector = selectorOf(cluster, service)
  const chosen =
    Object.keys(selector).length > 0
      ? (pod: Pod): boolean => selects({ matchLabels: selector }, labelsOf(cluster, pod))
      : (pod: Pod): boolean => service.workload !== '' && pod.workload === service.workload
  return cluster.running
    .filter(
      (pod) =>
        pod.namespace === service.namespace &&
        pod.ip !== null &&
        pod.phase !== 'Succeeded' &&
        chosen(pod),
    )
    .sort((a, b) => (a.name < b.name ? -1 : 1))
}

/** Pods behind a service that are ready, by name. */
export const readyBehind = (cluster: Cluster, service: Named): readonly Pod[] =>
  podsBehind(cluster, service).filter(isReadyPod)

export const targetOn = (cluster: Cluster, pod: Pod, port: ServicePort): number =>
  typeof port.target === 'number'
    ? port.target
    : (namedPort(cluster, pod, port.target, port.protocol) ?? port.port)
