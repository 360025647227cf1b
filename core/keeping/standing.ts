/** A cluster that stands, put in the terms of a draft: so that machines are added to it by the same checks and steps as a raise. */
import type { FleetView } from '../fleet'
import { type ClusterView, type PoolView, siteOf } from '../fleet'
import { findRelease } from '../releases'
import { type Planned, type PlannedMachine, raiseIntent } from '../provisioning'

/** The zone that holds fewest of a pool’s machines, the site’s order breaking ties. */
export function thinnestZone(
  zones: readonly string[],
  nodes: readonly { readonly zone: string }[],
): string {
  const count = (zone: string): number => nodes.filter((node) => node.zone === zone).length
  return (
    [...zones].sort((a, b) => count(a) - count(b) || zones.indexOf(a) - zones.indexOf(b))[0] ?? ''
  )
}

/** The lowest numbers that no node of a pool bears. */
export function freeNames(
  cluster: ClusterView,
  pool: PoolView,
  count: number,
  alsoTaken: readonly string[] = [],
): readonly string[] {
  const taken = new Set([...pool.nodes.map((node) => node.name), ...alsoTaken])
  const names: string[] = []
  for (let i = 1; names.length < count; i++) {
    const name = `${cluster.name}-${pool.name}-${i}`
    if (!taken.has(name)) names.push(name)
  }
  return names
}

/** The draft that the cluster stands for, with `machines` as what is still to be made. */
export function standing(
  cluster: ClusterView,
  view: FleetView,
  machines: readonly Omit<PlannedMachine, 'field' | 'offered' | 'again'>[],
): Planned {
  const site = siteOf(view, cluster.site)
  const release = findRelease(view.catalogue, cluster.release)
  const intent = raiseIntent.parse({
    name: cluster.name,
    site: cluster.site,
    release: cluster.release,
    guarded: cluster.guarded,
    labels: { ...cluster.labels },
    controlPlane:
      cluster.controlPlane.kind === 'own'
        ? { kind: 'own', count: cluster.controlPlane.members.length }
        : { kind: 'managed', tier: cluster.controlPlane.tier },
    pools: cluster.pools
      .filter((pool) => pool.name !== 'control-plane')
      .map((pool) => ({
        name: pool.name,
        size: pool.size,
        count: 1,
        lifetime: pool.lifetime,
        taints: [...pool.taints],
      })),
    ranges: {
      pods: cluster.pods,
      services: cluster.services,
      maxPodsPerNode: cluster.maxPodsPerNode,
    },
    ...(view.sshKeys[0] === undefined ? {} : { sshKey: view.sshKeys[0] }),
  })
  const api = site?.addresses.find(
    (address) => address.cluster === cluster.name && address.for === `${cluster.name} API`,
  )?.address
  return {
    intent,
    view,
    site,
    release,
    machines: machines.map((machine) => ({
      ...machine,
      field: `pools[${Math.max(
        0,
        intent.pools.findIndex((pool) => pool.name === machine.pool),
      )}]`,
      offered: site?.sizes.find((size) => size.name === machine.size),
      again: 0,
    })),
    nodesNetwork: site?.networks.find((network) => network.role === 'nodes'),
    managementNetwork: site?.networks.find((network) => network.role === 'management'),
    statics: api === undefined ? null : { addresses: [api], wanted: 0, wrong: [], proposed: [] },
  }
}
