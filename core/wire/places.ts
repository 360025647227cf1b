/** Where packets come from and go to: pods, nodes, peers and addresses. */

import type { Address } from '../addresses'
import { parseAddress } from '../addresses'
import type { Place } from './hops'
import type { PodEnd } from './policy'
import {
  type ReadyWorld,
  type ReadyCluster,
  type NodeEnd,
  type ReadySite,
  networkOf,
  siteOfAddress,
} from './prepared'
import { addressKey, spansOf, within } from './spans'
import type { WalkFrom } from './world'

export class Refused extends Error {
  readonly path: string
  constructor(path: string, says: string) {
    super(says)
    this.path = path
  }
}

export const shown = (text: string): string => text.slice(0, 80)
export function clusterNamed(world: ReadyWorld, name: string, path: string): ReadyCluster {
  const cluster = world.clusters.get(name)
  if (!cluster) throw new Refused(path, `There is no cluster ${shown(name)} in this world.`)
  return cluster
}

export function podNamed(cluster: ReadyCluster, name: string, path: string): PodEnd {
  const pod = cluster.policies.pods.get(name.includes('/') ? name : `default/${name}`)
  if (!pod)
    throw new Refused(
      path,
      `${cluster.name} has no pod ${shown(name)}. Write it as namespace/name.`,
    )
  return pod
}

export const nodeOfPod = (cluster: ReadyCluster, pod: PodEnd): NodeEnd | null =>
  (pod.node === null ? undefined : cluster.nodes.get(pod.node)) ??
  (pod.hostAddress
    ? cluster.nodeList.find(
        (node) => addressKey(node.address) === addressKey(pod.hostAddress as Address),
      )
    : undefined) ??
  null
export function addressOfPod(cluster: ReadyCluster, pod: PodEnd, path: string): Address {
  const address = pod.onHostNetwork
    ? (nodeOfPod(cluster, pod)?.address ?? pod.hostAddress)
    : pod.addresses[0]
  if (!address) throw new Refused(path, `${pod.key} has no address yet: it is on no node.`)
  return address
}

export function nodePlace(world: ReadyWorld, cluster: ReadyCluster, node: NodeEnd): Place {
  return {
    address: node.address,
    site: world.sites.get(cluster.site) ?? null,
    network: node.network,
    cluster,
    node,
    pod: null,
  }
}

export function podPlace(
  world: ReadyWorld,
  cluster: ReadyCluster,
  pod: PodEnd,
  address: Address,
): Place {
  const node = nodeOfPod(cluster, pod)
  return {
    address,
    site: world.sites.get(cluster.site) ?? null,
    network: node?.network ?? null,
    cluster,
    node,
    pod: pod.onHostNetwork ? null : pod,
  }
}

/** What is at an address, seen from a place: pods and nodes of the own cluster first, then of the site that holds it. */
export function placeAt(
  world: ReadyWorld,
  address: Address,
  site: ReadySite | null,
  own: ReadyCluster | null,
): Place {
  const key = addressKey(address)
  const pods = world.podAt.get(key) ?? []
  const pod =
    pods.find((pod) => pod.cluster === own) ??
    pods.find((pod) => pod.cluster.site === site?.name) ??
    (site === null ? pods[0] : undefined)
  if (pod) return podPlace(world, pod.cluster, pod.pod, address)
  const nodes = world.nodeAt.get(key) ?? []
  const node =
    nodes.find((node) => node.cluster === own) ??
    nodes.find((node) => node.cluster.site === site?.name) ??
    (site === null ? nodes[0] : undefined)
  if (node) return nodePlace(world, node.cluster, node.node)
  return {
    address,
    site,
    network: site ? networkOf(site, address) : null,
    cluster: null,
    node: null,
    pod: null,
  }
}

export function sourceOf(world: ReadyWorld, from: WalkFrom): Place {
  if ('pod' in from) {
    const cluster = clusterNamed(world, from.cluster, 'from.cluster')
    const pod = podNamed(cluster, from.pod, 'from.pod')
    return podPlace(world, cluster, pod, addressOfPod(cluster, pod, 'from.pod'))
  }
  if ('node' in from) {
    const cluster = clusterNamed(world, from.cluster, 'from.cluster')
    const node = cluster.nodes.get(from.node)
    if (!node) throw new Refused('from.node', `${cluster.name} has no node ${shown(from.node)}.`)
    return nodePlace(world, cluster, node)
  }
  const address = parseAddress(from.address)
  if (!address.ok) throw new Refused('from.address', address.says)
  const place = placeAt(world, address.value, null, null)
  return place.cluster
    ? place
    : placeAt(world, address.value, siteOfAddress(world, address.value, null, null), null)
}

export const nobody = spansOf([])
export const inSite = (world: ReadyWorld, site: ReadySite, address: Address): boolean =>
  within(world.inside.get(site.name) ?? nobody, address)
