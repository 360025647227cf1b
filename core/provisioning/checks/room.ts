/** Room for machines: the quota of a cloud, the hosts of a hall. */

import { hallRoom } from '../../sizing'
import { countText, listText } from '../../units'
import type { Check, Planned } from '../planned'
import { pendingMachines, startCount } from '../planned'
import { put } from './machines'
import { said } from './says'

/** Drafts with fewer nodes in their largest pool, so that `over` cores fewer are asked for. */
export function fewerNodes({ intent, machines }: Planned, over: number) {
  const cores = (name: string): number =>
    machines.find((machine) => machine.pool === name)?.offered?.cores ?? 0
  const largest = intent.pools
    .map((pool, index) => ({ pool, index, cores: cores(pool.name), count: startCount(pool) }))
    .filter((entry) => entry.cores > 0)
    .sort((a, b) => b.cores * b.count - a.cores * a.count)[0]
  if (!largest) return []
  const left = largest.count - Math.ceil(over / largest.cores)
  if (left < 1) return []
  const field = `pools[${largest.index}]`
  const change = largest.pool.range
    ? put(`${field}.range`, { min: left, max: Math.max(left, largest.pool.range.max) })
    : put(`${field}.count`, left)
  return [{ says: `${countText(left, 'node')} in ${largest.pool.name}`, change }]
}

/** Draft with as many nodes in its largest pool as find a place, found by halving; what is offered has been tried. */
export function fittingNodes(
  { intent, machines }: Planned,
  fits: (kept: (machine: string) => boolean) => boolean,
) {
  const pools = intent.pools.map((pool, index) => ({
    pool,
    index,
    mine: machines.filter((machine) => machine.field === `pools[${index}]`),
  }))
  const largest = [...pools].sort((a, b) => b.mine.length - a.mine.length)[0]
  if (!largest) return []
  const names = largest.mine.map((machine) => machine.name)
  let [count, tooMany] = [0, names.length]
  while (tooMany - count > 1) {
    const half = Math.floor((count + tooMany) / 2)
    const dropped = new Set(names.slice(half))
    if (fits((machine) => !dropped.has(machine))) count = half
    else tooMany = half
  }
  if (count === 0) return []
  const field = `pools[${largest.index}]`
  return [
    {
      says: `${countText(count, 'node')} in ${largest.pool.name}`,
      change: largest.pool.range
        ? put(`${field}.range`, { min: count, max: Math.max(count, largest.pool.range.max) })
        : put(`${field}.count`, count),
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
        ...fewerNodes(planned, over),
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

export const checkHostRoom: Check = (planned) => {
  const { site, machines, intent } = planned
  if (!site || site.kind !== 'hall') return []
  const pending = pendingMachines(planned).flatMap((taken) =>
    taken.zone === undefined
      ? []
      : [
          {
            name: taken.what,
            zone: taken.zone,
            cores: taken.cores ?? 0,
            memoryBytes: taken.memoryBytes ?? 0,
            apart: null,
          },
        ],
  )
  const wishes = machines.flatMap((machine) =>
    machine.offered
      ? [
          {
            name: machine.name,
            zone: machine.zone,
            cores: machine.offered.cores,
            memoryBytes: machine.offered.memoryBytes,
            apart: machine.role === 'control-plane' ? intent.name : null,
          },
        ]
      : [],
  )
  const room = hallRoom(
    site.hosts,
    site.machines,
    [...pending, ...wishes],
    site.overcommit,
    site.reservePerZone > 0,
  )
  const wished = new Map(wishes.map((request) => [request.name, request]))
  const unfit = room.unfit.filter(({ name }) => wished.has(name))
  const first = unfit[0]
  if (!first) return []
  const out = site.hosts.filter(
    (host) =>
      host.service === 'out' && unfit.some(({ name }) => wished.get(name)?.zone === host.zone),
  )
  const back =
    out.length === 0
      ? []
      : [
          {
            says: `Put ${listText(
              out.map((host) => host.name),
              3,
            )} back in service`,
            change: {
              kind: 'site.hosts',
              intent: { site: site.name, hosts: out.map((host) => host.name), service: 'in' },
            },
          },
        ]
  return [
    {
      level: 'stop',
      rule: 'hosts.room',
      field: 'pools',
      ...said('hosts.room', {
        unfitCount: unfit.length,
        site: site.name,
        unfit: unfit.map(({ name }) => name),
        why: first.says,
      }),
      because: unfit.slice(0, 4).map(({ name, says }) => ({
        ...said('machine-unfit', { name, says }),
        source: site.name,
        at: site.observedAt,
      })),
      offers: [
        ...back,
        ...fittingNodes(
          planned,
          (kept) =>
            hallRoom(
              site.hosts,
              site.machines,
              [...pending, ...wishes.filter((request) => kept(request.name))],
              site.overcommit,
              site.reservePerZone > 0,
            ).unfit.length === 0,
        ),
        ...smallerSize(planned),
      ],
    },
  ]
}
