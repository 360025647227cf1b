/** What listens on nodes, and which nodes take what comes in for a cluster. */
import { isReady, workloadOf } from '../cluster/fits'
import { list, record as fields, templateOf } from '../cluster/manifests'
import { copyPort } from '../storage/state'
import type { Cluster, Node, Site, World } from '../world'
import type { Packet } from './packet'
import { networkAt } from './ranges'
import { servicePorts, writtenService } from './services'

/** The nodes that could take what comes in from outside: not those on a management network, unless there are no others. */
export function behindFronts(site: Site, cluster: Cluster): readonly Node[] {
  const apart = cluster.nodes.filter((node) => {
    const name = networkAt(site, node.address)
    return site.networks.find((network) => network.name === name)?.role !== 'management'
  })
  return apart.length > 0 ? apart : cluster.nodes
}

/** Those of them that a load balancer’s health check reaches: what is silent is passed by. */
export const healthyBehind = (site: Site, cluster: Cluster): readonly Node[] =>
  behindFronts(site, cluster).filter(isReady)

/** The service that has a port of the nodes, with that port. */
export function nodePortAt(world: World, cluster: Cluster, packet: Packet) {
  const balancers = world.sites[cluster.site]?.balancers ?? []
  for (const service of cluster.serviceList) {
    const key = `${service.namespace}/${service.name}`
    const spec = fields(writtenService(cluster, service.namespace, service.name)?.['spec'])
    const isOutside =
      spec['type'] === 'LoadBalancer' ||
      spec['type'] === 'NodePort' ||
      balancers.some((front) => front.cluster === cluster.name && front.service === key)
    const port = isOutside
      ? servicePorts(cluster, service).find(
          (candidate) =>
            candidate.nodePort === packet.port && candidate.protocol === packet.protocol,
        )
      : undefined
    if (port) return { service, port }
  }
  return undefined
}

/** A way in, the node agent, the API of a member, and what pods hold on their node. */
export function listensOn(cluster: Cluster, node: Node, packet: Packet): boolean {
  if (packet.protocol === 'TCP' && (packet.port === 22 || packet.port === 10_250)) return true
  const keepsCopies = cluster.storage?.disks.some((disk) => disk.node === node.name) === true
  if (keepsCopies && packet.protocol === 'TCP' && packet.port === copyPort) return true
  const hasApi = !cluster.managed && node.roles.includes('control-plane')
  const api = Number(/:(\d+)$/.exec(cluster.endpoint)?.[1] ?? 6443)
  if (hasApi && packet.protocol === 'TCP' && packet.port === api) return true
  return cluster.running.some((pod) => {
    if (pod.node !== node.name || pod.phase !== 'Running') return false
    const workload = workloadOf(cluster, pod)
    const spec = workload ? fields(templateOf(workload, pod.hash)['spec']) : {}
    return list(spec['containers'])
      .flatMap((container) => list(fields(container)['ports']))
      .map(fields)
      .some(
        (entry) =>
          (entry['hostPort'] ??
            (spec['hostNetwork'] === true ? entry['containerPort'] : undefined)) === packet.port &&
          (entry['protocol'] ?? 'TCP') === packet.protocol,
      )
  })
}
