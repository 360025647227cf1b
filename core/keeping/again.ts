/** Whether a site could give a cluster its machines again: sizes in stock, quota, hosts, credentials. */
import type { Offer, RawFinding } from '../changes'
import type { ClusterView, FleetView, SiteView } from '../fleet'
import { checkCredentials, checkHostRoom, checkQuota, type Planned } from '../provisioning'
import { countText, listText } from '../units'
import { said } from './says'
import { standing } from './standing'

/** A machine as it is to come back. */
export interface BackAgain {
  readonly name: string
  readonly pool: string
  readonly zone: string
  readonly size: string
  readonly cores: number
  readonly memoryBytes: number
  readonly lifetime: 'on-demand' | 'spot'
}

/** How a draft is amended so that a pool stays out, or comes back otherwise. */
export interface Amending {
  readonly without: (pool: string) => Offer
  readonly otherwise: (
    pool: string,
    asked: { readonly size?: string; readonly zones?: readonly string[] },
    says: string,
  ) => Offer
}

const offersIn = (site: SiteView, size: string, zone: string): boolean => {
  const offered = site.sizes.find((candidate) => candidate.name === size)
  return offered?.zones.includes(zone) === true && !offered.soldOut.includes(zone)
}

/** The other size in stock in all of some zones that comes nearest: the smallest that holds as much, else the largest. */
function otherSize(
  site: SiteView,
  machine: BackAgain,
  zones: readonly string[],
): string | undefined {
  const others = site.sizes
    .filter(
      (size) =>
        size.name !== machine.size && zones.every((zone) => offersIn(site, size.name, zone)),
    )
    .sort((a, b) => a.cores - b.cores || a.memoryBytes - b.memoryBytes)
  const larger = others.find(
    (size) => size.cores >= machine.cores && size.memoryBytes >= machine.memoryBytes,
  )
  return (larger ?? others.at(-1))?.name
}

const poolsOf = (back: readonly BackAgain[]): readonly string[] => [
  ...new Set(back.map((machine) => machine.pool)),
]

/** Pools by the cores they take, the largest first; the control plane cannot stay out. */
const byCores = (back: readonly BackAgain[]): readonly string[] =>
  poolsOf(back)
    .filter((pool) => pool !== 'control-plane')
    .map((pool) => ({
      pool,
      cores: back
        .filter((machine) => machine.pool === pool)
        .reduce((sum, machine) => sum + machine.cores, 0),
    }))
    .sort((a, b) => b.cores - a.cores)
    .map(({ pool }) => pool)

/** Machines whose size their zone has not left, by pool. */
function stockFindings(
  site: SiteView,
  back: readonly BackAgain[],
  amending: Amending | null,
): readonly RawFinding[] {
  if (site.kind === 'edge') return []
  return poolsOf(back).flatMap((pool): readonly RawFinding[] => {
    const machines = back.filter((machine) => machine.pool === pool)
    const lacking = machines.filter((machine) => !offersIn(site, machine.size, machine.zone))
    const [first] = lacking
    if (!first) return []
    const zones = [...new Set(machines.map((machine) => machine.zone))]
    const stocked = site.zones.filter((zone) => offersIn(site, first.size, zone))
    const size = otherSize(site, first, zones)
    return [
      {
        level: 'stop',
        rule: `size.stock.${pool}`,
        field: 'cluster',
        ...said('again.stock', {
          size: first.size,
          zones: [...new Set(lacking.map((machine) => machine.zone))],
          machines: lacking.map((machine) => machine.name),
        }),
        because: [
          {
            ...said('again.stocked', { size: first.size, zones: stocked }),
            source: site.name,
            at: site.observedAt,
          },
        ],
        offers:
          amending === null
            ? []
            : [
                ...(stocked.length === 0
                  ? []
                  : [
                      amending.otherwise(
                        pool,
                        { zones: stocked },
                        `Take ${pool} in ${listText(stocked)}`,
                      ),
                    ]),
                ...(size === undefined
                  ? []
                  : [amending.otherwise(pool, { size }, `Take ${size} for ${pool}`)]),
                ...(pool === 'control-plane' ? [] : [amending.without(pool)]),
              ],
      },
    ]
  })
}

function plannedBack(cluster: ClusterView, view: FleetView, back: readonly BackAgain[]): Planned {
  return standing(
    cluster,
    view,
    back.map((machine) => ({
      name: machine.name,
      role: machine.pool === 'control-plane' ? 'control-plane' : 'worker',
      pool: machine.pool,
      zone: machine.zone,
      size: machine.size,
      rootDiskGb: 0,
      lifetime: machine.lifetime,
    })),
  )
}

/** What stands against taking the machines again. Without `amending` nothing is offered. */
export function againFindings(
  cluster: ClusterView,
  site: SiteView,
  view: FleetView,
  back: readonly BackAgain[],
  amending: Amending | null,
): RawFinding[] {
  const planned = plannedBack(cluster, view, back)
  const room = [checkQuota, checkHostRoom].flatMap((check) => check(planned))
  const smaller = (pool: string): readonly Offer[] => {
    const machine = back.find((candidate) => candidate.pool === pool)
    const [size] = site.sizes
      .filter(
        (size) =>
          machine !== undefined &&
          size.cores < machine.cores &&
          offersIn(site, size.name, machine.zone),
      )
      .sort((a, b) => b.cores - a.cores)
    return amending === null || !size
      ? []
      : [amending.otherwise(pool, { size: size.name }, `Take ${size.name} for ${pool}`)]
  }
  const [largest] = byCores(back)
  return [
    ...stockFindings(site, back, amending),
    ...room.map((finding): RawFinding => ({
      ...finding,
      field: 'cluster',
      offers:
        amending === null
          ? []
          : [
              ...(finding.offers ?? []).filter((offer) => 'kind' in offer.change),
              ...byCores(back).slice(0, 1).map(amending.without),
              ...(largest === undefined ? [] : smaller(largest)),
            ],
    })),
    ...checkCredentials(planned).map((finding): RawFinding => ({ ...finding, field: 'cluster' })),
  ]
}

/** Whether each machine of a running cluster could be had again, once it has been given back: what a person should know before. */
export function againNote(
  cluster: ClusterView,
  site: SiteView,
  view: FleetView,
): readonly RawFinding[] {
  const machines = site.machines.filter((machine) => machine.cluster === cluster.name)
  const poolOf = new Map(
    cluster.pools.flatMap((pool) => pool.nodes.map((node) => [node.machine, pool.name] as const)),
  )
  const back = machines.map((machine) => ({
    ...machine,
    pool: poolOf.get(machine.name) ?? 'control-plane',
  }))
  const given: SiteView = {
    ...site,
    machines: site.machines.filter((machine) => machine.cluster !== cluster.name),
  }
  const findings = againFindings(
    cluster,
    given,
    { ...view, sites: view.sites.map((each) => (each === site ? given : each)) },
    back,
    null,
  )
  if (machines.length === 0) return []
  const seen = { source: site.name, at: site.observedAt }
  if (findings.every((finding) => finding.level !== 'stop'))
    return [
      {
        level: 'note',
        rule: 'cluster.again',
        field: 'cluster',
        ...said('again.each', { machines: machines.length, site: site.name }),
        because: [
          { ...said('again.now', { machines: countText(machines.length, 'machine') }), ...seen },
        ],
      },
    ]
  return findings
    .filter((finding) => finding.level === 'stop')
    .map((finding) => ({
      ...finding,
      level: 'caution' as const,
      rule: `again.${finding.rule}`,
      ...said('again.not', { cluster: cluster.name, why: finding.says }),
    }))
}
