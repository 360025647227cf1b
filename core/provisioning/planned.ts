/** The machines a draft asks for, with their zones and sizes resolved; what checks and plan both build on. */
import type { RawFinding } from '../changes'
import {
  type FleetView,
  type NetworkView,
  type Reservation,
  type SiteView,
  siteOf,
  type SizeView,
} from '../fleet'
import { findRelease, type Release } from '../releases'
import { findAddresses, type StaticAddresses } from './static-addresses'
import type { RaiseIntent } from './raise-intent'

export interface PlannedMachine {
  readonly name: string
  readonly role: 'control-plane' | 'worker'
  readonly pool: string
  /** Path of the pool or control plane in the intent. */
  readonly field: string
  readonly zone: string
  readonly size: string
  readonly offered: SizeView | undefined
  readonly rootDiskGb: number
  readonly lifetime: 'on-demand' | 'spot'
  /** How often it is made anew within the run. */
  readonly again: number
}

export interface Planned {
  readonly intent: RaiseIntent
  readonly view: FleetView
  readonly site: SiteView | undefined
  readonly release: Release | undefined
  readonly machines: readonly PlannedMachine[]
  readonly nodesNetwork: NetworkView | undefined
  readonly managementNetwork: NetworkView | undefined
  /** Addresses of an own control plane in a hall; null where none are needed. */
  readonly statics: StaticAddresses | null
}

export const controlPlanePool = 'control-plane'

/** How many nodes a pool starts with: its count, or the lower end of its range. */
export const startCount = (pool: RaiseIntent['pools'][number]): number =>
  pool.count ?? pool.range?.min ?? 0

/** The smallest size of a site with at least four cores: what a control plane gets if the draft names none. */
export const defaultControlPlaneSize = (site: SiteView): string =>
  [...site.sizes]
    .filter((size) => size.cores >= 4)
    .sort((a, b) => a.cores - b.cores || a.memoryBytes - b.memoryBytes)[0]?.name ?? ''

/** The i-th of `zones`, round and round. */
const zoneAt = (zones: readonly string[], index: number): string =>
  zones[index % Math.max(1, zones.length)] ?? ''

function machinesOf(
  intent: RaiseIntent,
  site: SiteView,
  release: Release | undefined,
): readonly PlannedMachine[] {
  // A draft that names machines is raised on those.
  if (site.kind === 'edge' || intent.machines.length > 0) return []
  const sizes = new Map(site.sizes.map((size) => [size.name, size]))
  const planned: PlannedMachine[] = []
  // A hall's size brings its disk; a cloud's root disk is what is asked for, or what the image needs.
  const disk = (size: string, wanted: number | undefined): number =>
    wanted ?? (site.kind === 'hall' ? sizes.get(size)?.diskGb : release?.minimumRootDiskGb) ?? 0
  if (intent.controlPlane.kind === 'own') {
    const { count, zones } = intent.controlPlane
    const size = intent.controlPlane.size ?? defaultControlPlaneSize(site)
    for (let i = 0; i < count; i++) {
      planned.push({
        name: `${intent.name}-cp-${i + 1}`,
        role: 'control-plane',
        pool: controlPlanePool,
        field: 'controlPlane',
        zone: zoneAt(zones?.length ? zones : site.zones, i),
        size,
        offered: sizes.get(size),
        rootDiskGb: disk(size, undefined),
        lifetime: 'on-demand',
        again: intent.again?.[`${intent.name}-cp-${i + 1}`] ?? 0,
      })
    }
  }
  intent.pools.forEach((pool, p) => {
    const zones = pool.zones?.length ? pool.zones : site.zones
    for (let i = 0; i < startCount(pool); i++) {
      planned.push({
        name: `${intent.name}-${pool.name}-${i + 1}`,
        role: 'worker',
        pool: pool.name,
        field: `pools[${p}]`,
        zone: zoneAt(zones, i),
        size: pool.size,
        offered: sizes.get(pool.size),
        rootDiskGb: disk(pool.size, pool.rootDiskGb),
        lifetime: pool.lifetime,
        again: intent.again?.[`${intent.name}-${pool.name}-${i + 1}`] ?? 0,
      })
    }
  })
  return planned
}

/** Resolves a draft against the fleet. What does not resolve stays undefined: the checks say so. */
export function planned(intent: RaiseIntent, view: FleetView): Planned {
  const site = siteOf(view, intent.site)
  const release = findRelease(view.catalogue, intent.release)
  const network = (name: string | undefined, role: NetworkView['role']): NetworkView | undefined =>
    name === undefined
      ? site?.networks.find((network) => network.role === role)
      : site?.networks.find((network) => network.name === name)
  const managementNetwork = network(intent.networks.management, 'management')
  const ownInHall =
    site?.kind === 'hall' && intent.controlPlane.kind === 'own' && intent.machines.length === 0
  return {
    intent,
    view,
    site,
    release,
    machines: site ? machinesOf(intent, site, release) : [],
    nodesNetwork: network(intent.networks.nodes, 'nodes'),
    managementNetwork,
    statics:
      ownInHall && managementNetwork && intent.controlPlane.kind === 'own'
        ? findAddresses(
            intent.networks.staticAddresses,
            intent.controlPlane.count,
            managementNetwork,
            site,
            reservationsAt(view, site.name),
            intent.names?.api === undefined ? [] : [intent.names.api],
          )
        : null,
  }
}

/** Whether control-plane machines are kept clear of workloads. */
export const tolerated = (planned: Planned): boolean =>
  planned.intent.controlPlane.kind === 'own' && !planned.intent.controlPlane.alsoWorkers

/** What keeps them clear: the taints of control-plane machines. */
export const controlPlaneTaints = (planned: Planned) =>
  tolerated(planned)
    ? [{ key: 'node-role.kubernetes.io/control-plane', value: '', effect: 'NoSchedule' as const }]
    : []

/** What other running changes have taken at a site and the ports do not report yet. */
export const reservationsAt = (view: FleetView, site: string): readonly Reservation[] =>
  view.reservations.filter((taken) => taken.site === site)

/** Machines that other runs are about to make: reserved, not yet seen. */
export function pendingMachines(planned: Planned): readonly Reservation[] {
  const seen = new Set(planned.site?.machines.map((machine) => machine.name))
  return planned.site
    ? reservationsAt(planned.view, planned.site.name).filter(
        (taken) => taken.kind === 'machine' && !seen.has(taken.what),
      )
    : []
}

export type Check = (planned: Planned) => readonly RawFinding[]
