/** Room for machines: the quota of a cloud, the hosts of a hall. */

import { hallRoom } from '../../sizing'
import { countText, listText } from '../../units'
import { type Offer, stop } from '../../changes'
import type { SiteView } from '../../fleet'
import type { Check, Planned } from '../planned'
import { pendingMachines } from '../planned'
import { put } from './machines'
import { said } from './says'

/** Machines of pools in the order in which they are done without: always one of the pool that has most left, none of its last. */
function doneWithout({ intent, machines }: Planned): readonly string[] {
  const left = intent.pools.map((_, index) =>
    machines.filter((machine) => machine.field === `pools[${index}]`).map(({ name }) => name),
  )
  const order: string[] = []
  for (;;) {
    const largest = left.reduce<string[]>((a, b) => (b.length >= a.length ? b : a), [])
    const gone = largest.length > 1 ? largest.pop() : undefined
    if (gone === undefined) return order
    order.push(gone)
  }
}

/**
 * Draft with as many nodes in its pools as fit, found by halving; what is offered has been tried. Nothing where a node
 * for each pool is too much already.
 */
export function fittingNodes(
  planned: Planned,
  fits: (kept: (machine: string) => boolean) => boolean,
): readonly Offer[] {
  const order = doneWithout(planned)
  const fitsWithout = (count: number): boolean => {
    const dropped = new Set(order.slice(0, count))
    return fits((machine) => !dropped.has(machine))
  }
  if (order.length === 0 || !fitsWithout(order.length)) return []
  let [tooFew, enough] = [0, order.length]
  while (enough - tooFew > 1) {
    const half = Math.floor((tooFew + enough) / 2)
    if (fitsWithout(half)) enough = half
    else tooFew = half
  }
  const dropped = new Set(order.slice(0, enough))
  const pools = planned.intent.pools.flatMap((pool, index) => {
    const asked = planned.machines.filter((machine) => machine.field === `pools[${index}]`)
    const kept = asked.filter((machine) => !dropped.has(machine.name)).length
    return kept < asked.length ? [{ pool, index, kept }] : []
  })
  return [
    {
      says: listText(pools.map(({ pool, kept }) => `${countText(kept, 'node')} in ${pool.name}`)),
      change: {
        patchDraft: pools.flatMap(({ pool, index, kept }) =>
          pool.range
            ? put(`pools[${index}].range`, { min: kept, max: Math.max(kept, pool.range.max) })
                .patchDraft
            : put(`pools[${index}].count`, kept).patchDraft,
        ),
      },
    },
  ]
}

/** Draft in which the largest pool takes the next smaller size. */
export function smallerSize({ intent, machines, site }: Planned) {
  if (!site) return []
  return intent.pools.flatMap((pool, index) => {
    const now = machines.find((machine) => machine.pool === pool.name)?.offered
    const next =
      now &&
      [...site.sizes].filter((size) => size.cores < now.cores).sort((a, b) => b.cores - a.cores)[0]
    return next
      ? [
          {
            says: `Use ${next.name} for ${pool.name}`,
            change: put(`pools[${index}].size`, next.name),
          },
        ]
      : []
  })
}

export const checkQuota: Check = (planned) => {
  const { site, machines } = planned
  if (!site || site.quotaCores === null) return []
  const used = site.machines.reduce((sum, machine) => sum + machine.cores, 0)
  const reserved = pendingMachines(planned).reduce((sum, taken) => sum + (taken.cores ?? 0), 0)
  const requested = machines.reduce((sum, machine) => sum + (machine.offered?.cores ?? 0), 0)
  const over = used + reserved + requested - site.quotaCores
  if (over <= 0) return []
  return [
    {
      level: 'stop',
      rule: 'quota.cores',
      field: 'pools',
      ...said('quota.cores', {
        asked: requested,
        site: site.name,
        quotaCores: site.quotaCores,
        used,
        reserved,
        over,
      }),
      because: [
        {
          ...said('quota-vcpu-use', {
            quotaCores: site.quotaCores,
            used,
            machinesCount: site.machines.length,
          }),
          source: site.name,
          at: site.observedAt,
        },
        ...(reserved ? [{ ...said('vcpu-reserved-running', { reserved }), source: 'runner' }] : []),
      ],
      offers: [
        ...fittingNodes(
          planned,
          (kept) =>
            machines
              .filter((machine) => !kept(machine.name))
              .reduce((sum, machine) => sum + (machine.offered?.cores ?? 0), 0) >= over,
        ),
        ...smallerSize(planned).slice(0, 1),
        {
          says: `Ask ${site.name} for ${Math.ceil((used + reserved + requested) / 8) * 8} vCPU`,
          change: {
            kind: 'site.quota',
            intent: { site: site.name, cores: Math.ceil((used + reserved + requested) / 8) * 8 },
          },
        },
      ],
    },
  ]
}

type HallMachine = Parameters<typeof hallRoom>[2][number]

/** What running changes have reserved and has no host yet. */
const pendingOnHosts = (planned: Planned): readonly HallMachine[] =>
  pendingMachines(planned).flatMap(({ what, zone, cores = 0, memoryBytes = 0 }) =>
    zone === undefined ? [] : [{ name: what, zone, cores, memoryBytes, apart: null }],
  )

/** What the draft asks of the hosts; members of a control plane are kept apart. */
const askedOfHosts = ({ machines, intent }: Planned): readonly HallMachine[] =>
  machines.flatMap(({ name, zone, offered, role }) =>
    offered
      ? [
          {
            name,
            zone,
            cores: offered.cores,
            memoryBytes: offered.memoryBytes,
            apart: role === 'control-plane' ? intent.name : null,
          },
        ]
      : [],
  )

/** Hosts out of service in the zones that are short of room. */
function backInService(site: SiteView, zones: ReadonlySet<string>): readonly Offer[] {
  const names = site.hosts
    .filter((host) => host.service === 'out' && zones.has(host.zone))
    .map((host) => host.name)
  if (names.length === 0) return []
  return [
    {
      says: `Put ${listText(names, 3)} back in service`,
      change: {
        kind: 'site.hosts',
        intent: { site: site.name, hosts: names, service: 'in' },
      },
    },
  ]
}

export const checkHostRoom: Check = (planned) => {
  const { site } = planned
  if (!site || site.kind !== 'hall') return []
  const keepsReserve = site.reservePerZone > 0
  const roomFor = (
    machines: Parameters<typeof hallRoom>[1],
    asked: readonly HallMachine[],
  ): ReturnType<typeof hallRoom> =>
    hallRoom(site.hosts, machines, asked, site.overcommit, keepsReserve)
  // What runs have reserved stands before what is drafted: none of it is given up for a better packing.
  const pending = pendingOnHosts(planned)
  const hostOf = new Map(
    roomFor(site.machines, pending).placed.map(({ name, host }) => [name, host]),
  )
  const reserved = pending.flatMap((machine) => {
    const host = hostOf.get(machine.name)
    return host === undefined ? [] : [{ ...machine, host }]
  })
  const occupied = [...site.machines, ...reserved]
  const asked = askedOfHosts(planned)
  const zoneOf = new Map(asked.map(({ name, zone }) => [name, zone]))
  const unfit = roomFor(occupied, asked).unfit.filter(({ name }) => zoneOf.has(name))
  const first = unfit[0]
  if (!first) return []
  const fits = (kept: (machine: string) => boolean): boolean =>
    roomFor(
      occupied,
      asked.filter(({ name }) => kept(name)),
    ).unfit.length === 0
  return [
    stop(
      'hosts.room',
      'pools',
      said('hosts.room', {
        unfitCount: unfit.length,
        site: site.name,
        unfit: unfit.map(({ name }) => name),
        why: first.says,
      }),
      unfit.slice(0, 4).map(({ name, says }) => ({
        ...said('machine-unfit', { name, says }),
        source: site.name,
        at: site.observedAt,
      })),
      [
        ...backInService(site, new Set(unfit.map(({ name }) => zoneOf.get(name) ?? ''))),
        ...fittingNodes(planned, fits),
        ...smallerSize(planned),
      ],
    ),
  ]
}
