/** Spend as it was: intervals of existence times price, as the sites counted them. Nothing is rounded. */
import type { MeteredThing } from '../contract'
import type { FleetView, SiteView } from '../fleet/view'
import type { SpendLine } from './projection'
import { machineHourly, monthHours } from './site-spend'

export type { MeteredThing } from '../contract'

export interface Metering {
  /** From when on anything was counted, at the earliest. */
  readonly since: string
  readonly until: string
  readonly lines: readonly SpendLine[]
  readonly units: number
}

const hourMs = 3_600_000

/** Units an hour of a thing while it is there, by the prices now in the book, and under which heading; null is free. */
function priced(
  site: SiteView,
  thing: MeteredThing,
): readonly { readonly what: SpendLine['what']; readonly hourly: number }[] {
  const owned = site.hosts.length > 0
  switch (thing.what) {
    case 'machine':
      return [
        {
          what: 'machines',
          hourly: machineHourly(site, {
            size: thing.size ?? '',
            cores: thing.cores ?? 0,
            lifetime: thing.lifetime ?? 'on-demand',
            zone: thing.zone ?? '',
            host: null,
          }),
        },
      ]
    case 'tier':
      return [
        {
          what: 'control plane',
          hourly: site.managedTiers.find((tier) => tier.tier === thing.tier)?.hourly ?? 0,
        },
      ]
    case 'disk':
      return owned
        ? []
        : [{ what: 'disks', hourly: ((thing.gb ?? 0) * site.prices.diskGbMonth) / monthHours }]
    case 'balancer':
      return owned ? [] : [{ what: 'load balancers', hourly: site.prices.balancerHour }]
    case 'host': {
      const host =
        site.hosts.find((host) => host.name === thing.name) ??
        site.hosts.find((host) => host.zone === thing.zone)
      return [
        { what: 'power at idle', hourly: ((host?.idleWatts ?? 0) / 1000) * site.prices.kwh },
        { what: 'write-off', hourly: site.prices.hostMonth / monthHours },
      ]
    }
    case 'address':
      return []
  }
}

/** The pool a machine was made for, by its name: `cluster-pool-n`. Longer pool names first, `a` is no part of `a-b`. */
function poolOf(view: FleetView, thing: MeteredThing): string | null {
  if (thing.what !== 'machine') return null
  const cluster = view.clusters.find((cluster) => cluster.name === thing.cluster)
  const existingPool = cluster?.pools.find((pool) =>
    pool.nodes.some((node) => node.machine === thing.name),
  )
  if (existingPool) return existingPool.name
  const byName = [...(cluster?.pools ?? [])]
    .sort((a, b) => b.name.length - a.name.length)
    .find((pool) => thing.name.startsWith(`${thing.cluster ?? ''}-${pool.name}-`))
  return byName?.name ?? (cluster ? 'control-plane' : null)
}

/**
 * What was spent between two instants (ms), by site, cluster, pool and heading. Hours are those of all things of a
 * line together; intervals are cut at both ends.
 */
export function meteredSpend(
  view: FleetView,
  meters: Readonly<Record<string, readonly MeteredThing[]>>,
  from: number,
  until: number,
): Metering {
  const lines = new Map<
    string,
    {
      line: Omit<SpendLine, 'count' | 'hours' | 'units'>
      names: Set<string>
      hours: number
      units: number
    }
  >()
  let since = until
  for (const site of view.sites) {
    for (const thing of meters[site.name] ?? []) {
      const begun = Math.max(from, Date.parse(thing.from))
      const ended = Math.min(until, thing.until === null ? until : Date.parse(thing.until))
      if (ended <= begun) continue
      since = Math.min(since, begun)
      const hours = (ended - begun) / hourMs
      for (const { what, hourly } of priced(site, thing)) {
        if (hourly === 0) continue
        const line = { site: site.name, cluster: thing.cluster, pool: poolOf(view, thing), what }
        const key = JSON.stringify(line)
        const existingLine = lines.get(key) ?? {
          line,
          names: new Set<string>(),
          hours: 0,
          units: 0,
        }
        existingLine.names.add(thing.name)
        lines.set(key, {
          ...existingLine,
          hours: existingLine.hours + hours,
          units: existingLine.units + hourly * hours,
        })
      }
    }
  }
  const all = [...lines.values()].map(({ line, names, hours, units }): SpendLine => ({
    ...line,
    count: names.size,
    hours,
    units,
  }))
  return {
    since: new Date(since).toISOString(),
    until: new Date(until).toISOString(),
    lines: all,
    units: all.reduce((sum, line) => sum + line.units, 0),
  }
}
