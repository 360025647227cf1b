/**
 * The alternative to an upgrade in place: a second cluster like the first, raised at the release that is wanted beside it;
 * what has to move over, how traffic is turned, what both together cost, and how long there is a way back.
 */
import type { z } from 'zod'
import {
  type ClusterView,
  clusterOf,
  type FleetView,
  freeRangesAt,
  listedObjects,
  siteOf,
  type SiteView,
} from '../../fleet'
import { ofKind } from '../../objects'
import type { raiseIntent } from '../../provisioning'
import { clusterHourly } from '../../spend'
import { parseBytes } from '../../units'
import { findRelease } from '../release'
import { controlPlanePool } from './order'

export interface Moves {
  readonly namespaces: number
  readonly workloads: number
  readonly pods: number
  readonly volumes: number
  readonly volumeBytes: number
  /** Seconds to copy what volumes hold, one after the other; null where nobody tells how fast. */
  readonly copySeconds: number | null
  /** Routes whose backends can be given weights, and names that lead to addresses of the cluster. */
  readonly routes: number
  readonly names: readonly string[]
}

export interface Second {
  /** The draft of `cluster.raise` that makes it. */
  readonly raise: z.input<typeof raiseIntent>
  readonly moves: Moves
  /** Units an hour that the second costs beside the first, once it stands. */
  readonly perHour: number
}

/** A name for the second that nothing bears. */
function nextName(view: FleetView, name: string): string {
  const base = `${name.slice(0, 52)}-next`
  const taken = new Set(view.clusters.map((cluster) => cluster.name))
  for (let number = 1; ; number++) {
    const called = number === 1 ? base : `${base}-${number}`
    if (!taken.has(called)) return called
  }
}

/** What most of some machines are. */
function sizeOf(site: SiteView, machines: readonly string[]): string | undefined {
  return site.machines.find(({ name }) => machines.includes(name))?.size
}

function controlPlaneOf(cluster: ClusterView, site: SiteView): Second['raise']['controlPlane'] {
  const { controlPlane } = cluster
  if (controlPlane.kind === 'managed') return { kind: 'managed', tier: controlPlane.tier }
  const nodes = cluster.pools.flatMap((pool) => pool.nodes)
  const members = nodes.filter(({ roles }) => roles.includes('control-plane'))
  const size = sizeOf(
    site,
    members.map(({ machine }) => machine),
  )
  return {
    kind: 'own',
    count: Math.max(1, controlPlane.members.length),
    alsoWorkers: members.some(({ roles }) => roles.includes('worker')),
    ...(size === undefined ? {} : { size }),
  }
}

/** The zones that nodes of a pool are in; none where it has no node now. */
function zonesOf(nodes: readonly { readonly zone: string }[]): { readonly zones?: string[] } {
  const zones = [...new Set(nodes.map(({ zone }) => zone))].filter((zone) => zone !== '').sort()
  return zones.length === 0 ? {} : { zones }
}

const isOfBoxes = (site: SiteView, machine: string): boolean =>
  site.boxes.some(({ name, usedBy }) => name === machine || usedBy === machine)

/** A cluster like another, at a release; machines that stand in racks are named only where some are free. */
function raiseOf(
  view: FleetView,
  cluster: ClusterView,
  site: SiteView,
  release: string,
): Second['raise'] {
  const [sshKey] = view.sshKeys
  return {
    name: nextName(view, cluster.name),
    site: site.name,
    release,
    guarded: cluster.guarded,
    labels: cluster.labels,
    controlPlane: controlPlaneOf(cluster, site),
    pools: cluster.pools
      .filter(({ name, nodes, range }) => name !== controlPlanePool && (nodes.length > 0 || range))
      .filter(({ nodes }) => !nodes.some(({ machine }) => isOfBoxes(site, machine)))
      .map(({ name, size, lifetime, nodes, range, taints }) => ({
        name,
        size,
        lifetime,
        ...zonesOf(nodes),
        taints: [...taints],
        ...(range ? { range } : { count: nodes.length }),
      })),
    ranges: { ...freeRangesAt(view, site.name), maxPodsPerNode: cluster.maxPodsPerNode },
    ...(sshKey === undefined ? {} : { sshKey }),
  }
}

const workloadKinds = new Set(['Deployment', 'StatefulSet', 'DaemonSet', 'CronJob'])

/** Names of a site’s records that lead to an address of a cluster. */
function namesTo(site: SiteView, cluster: ClusterView): readonly string[] {
  const addresses = new Set([
    cluster.endpoint.replace(/^https:\/\//, '').replace(/:\d+$/, ''),
    ...site.balancers.flatMap(({ cluster: owner, address }) =>
      owner === cluster.name ? [address] : [],
    ),
  ])
  return [
    ...new Set(site.records.flatMap(({ name, value }) => (addresses.has(value) ? [name] : []))),
  ].sort()
}

function movesOf(view: FleetView, cluster: ClusterView, site: SiteView): Moves {
  const objects = listedObjects(view, cluster.name).filter(
    ({ metadata }) => !['platform', 'kube-system'].includes(metadata?.namespace ?? ''),
  )
  const claims = ofKind(objects, 'PersistentVolumeClaim')
  const volumeBytes = claims.reduce((sum, { spec }) => {
    const asked = parseBytes(String(spec?.resources?.requests?.['storage'] ?? '0'))
    return sum + (asked.ok ? asked.value : 0)
  }, 0)
  const rate = cluster.storage?.rebuild.bytesPerSecond ?? null
  const copySeconds = rate === null ? null : Math.ceil(volumeBytes / rate)
  return {
    namespaces: ofKind(objects, 'Namespace').filter(({ metadata: { name } }) => name !== 'platform')
      .length,
    workloads: objects.filter(({ kind }) => workloadKinds.has(kind)).length,
    pods: ofKind(objects, 'Pod').length,
    volumes: claims.length,
    volumeBytes,
    copySeconds: claims.length === 0 ? 0 : copySeconds,
    routes: ofKind(objects, 'HTTPRoute').length,
    names: namesTo(site, cluster),
  }
}

/** A second cluster beside one that is to go to a release; null where either is not known, or its site is not. */
export function secondOf(view: FleetView, name: string, to: string): Second | null {
  const cluster = clusterOf(view, name)
  const release = findRelease(view.catalogue, to)
  const site = cluster && siteOf(view, cluster.site)
  if (!cluster || !release || !site) return null
  return {
    raise: raiseOf(view, cluster, site, release.version),
    moves: movesOf(view, cluster, site),
    perHour: clusterHourly(site, cluster),
  }
}
