/**
 * Whether the hosts of a hall take more machines: by cores (with the hall's overcommit) and memory (without), zone by
 * zone; control-plane machines of one cluster never share a host; afterwards the loss of any one host must leave room
 * for its machines on the rest of their zone.
 * Exact up to 24 machines to be placed, and for failover up to 24 in one zone: the answer is a placement, or the
 * smallest set that does not fit (fewest, then lexically first names). Past that first-fit decreasing.
 * Exact search is bounded by `mostTries` placements tried a zone; machines and hosts that are alike are tried once.
 */
import type { Said } from '../contract'
import { said } from './says'
import { compareText } from '../units'

export interface RoomHost {
  readonly name: string
  readonly zone: string
  readonly cores: number
  readonly memoryBytes: number
  /** Hosts out of service or dead take nothing. */
  readonly service?: 'in' | 'out' | 'dead'
}

export interface PlacedMachine {
  readonly name: string
  readonly zone: string
  readonly host: string | null
  readonly cores: number
  readonly memoryBytes: number
  readonly apart?: string | null
}

export interface MachineWish {
  readonly name: string
  readonly zone: string
  readonly cores: number
  readonly memoryBytes: number
  /** Machines of one such group never share a host. */
  readonly apart: string | null
}

export interface HallRoom {
  readonly placed: readonly { readonly name: string; readonly host: string }[]
  readonly unfit: readonly (Said & { readonly name: string })[]
}

/** Up to so many machines the answer is exact. */
export const exactMachines = 24
const mostTries = 60_000

interface Load {
  readonly host: string
  readonly cores: number
  readonly memoryBytes: number
  freeCores: number
  freeMemory: number
  readonly holds: {
    readonly cores: number
    readonly memoryBytes: number
    readonly apart: string | null
  }[]
}

type Thing = Load['holds'][number]

const takes = (load: Load, thing: Thing): boolean =>
  load.freeCores >= thing.cores &&
  load.freeMemory >= thing.memoryBytes &&
  (thing.apart === null || !load.holds.some((hold) => hold.apart === thing.apart))

const put = (load: Load, thing: Thing): void => {
  load.freeCores -= thing.cores
  load.freeMemory -= thing.memoryBytes
  load.holds.push(thing)
}

const take = (load: Load, thing: Thing): void => {
  load.holds.splice(load.holds.lastIndexOf(thing), 1)
  load.freeCores += thing.cores
  load.freeMemory += thing.memoryBytes
}

const bigger = (a: Thing, b: Thing): number => b.cores - a.cores || b.memoryBytes - a.memoryBytes

/** Two hosts are alike for what is to come if they have the same room and hold machines of the same groups. */
const likeness = (load: Load): string =>
  `${load.freeCores}/${load.freeMemory}/${load.holds
    .flatMap((thing) => thing.apart ?? [])
    .sort()
    .join(',')}`

/** Whether `things` all fit somewhere on `loads`, which are left as they were. First-fit decreasing first; then, if few enough, every way. */
function packs(things: readonly Thing[], loads: readonly Load[], exact: boolean): boolean {
  const sorted = [...things].sort(bigger)
  const done: [Load, Thing][] = []
  const undo = (): void => {
    for (const [load, thing] of done.splice(0).reverse()) take(load, thing)
  }
  for (const thing of sorted) {
    // After a loss machines of one group may have to share a host for a while; room is what counts.
    const target = loads.find(
      (load) => load.freeCores >= thing.cores && load.freeMemory >= thing.memoryBytes,
    )
    if (!target) break
    put(target, thing)
    done.push([target, thing])
  }
  const greedy = done.length === sorted.length
  undo()
  if (greedy || !exact) return greedy
  let tries = 0
  const place = (i: number): boolean => {
    const thing = sorted[i]
    if (!thing) return true
    const seen = new Set<string>()
    for (const load of loads) {
      if (load.freeCores < thing.cores || load.freeMemory < thing.memoryBytes) continue
      const like = `${load.freeCores}/${load.freeMemory}`
      if (seen.has(like)) continue
      seen.add(like)
      if (++tries > mostTries) return false
      put(load, thing)
      const isPlaced = place(i + 1)
      take(load, thing)
      if (isPlaced) return true
    }
    return false
  }
  return place(0)
}

/** The first host whose loss would leave machines without room on the rest of its zone, or null. */
function hostThatMayNotDie(loads: readonly Load[]): Load | null {
  const machines = loads.reduce((sum, load) => sum + load.holds.length, 0)
  for (const lost of loads) {
    const rest = loads.filter((load) => load !== lost)
    if (!packs(lost.holds, rest, machines <= exactMachines)) return lost
  }
  return null
}

/** A way to place all of `wishes` on the zone, as hosts in their order; null if there is none. */
function placeAll(
  wishes: readonly MachineWish[],
  loads: readonly Load[],
  reserve: boolean,
): readonly string[] | null {
  const free = loads.reduce((sum, load) => sum + load.freeCores, 0)
  const requested = wishes.reduce((sum, machine) => sum + machine.cores, 0)
  const largest = Math.max(0, ...loads.map((load) => load.cores))
  // What survives the loss of the largest host must at least fit by sums.
  if (requested > free - (reserve ? largest : 0) && wishes.length > 0) return null
  const order = wishes
    .map((machine, i) => ({ wish: machine, i }))
    .sort((a, b) => bigger(a.wish, b.wish) || compareText(a.wish.name, b.wish.name))
  const hosts = wishes.map(() => '')
  let tries = 0
  const place = (at: number): boolean => {
    const next = order[at]
    if (!next) return !reserve || hostThatMayNotDie(loads) === null
    const seen = new Set<string>()
    // Emptiest first: spread leaves the most room for what may be lost.
    for (const load of [...loads].sort(
      (a, b) => b.freeCores - a.freeCores || compareText(a.host, b.host),
    )) {
      if (!takes(load, next.wish)) continue
      const like = likeness(load)
      if (seen.has(like)) continue
      seen.add(like)
      if (++tries > mostTries) return false
      put(load, next.wish)
      hosts[next.i] = load.host
      if (place(at + 1)) {
        take(load, next.wish)
        return true
      }
      take(load, next.wish)
    }
    return false
  }
  return place(0) ? hosts : null
}

const loadsOf = (
  zone: string,
  hosts: readonly RoomHost[],
  placedMachines: readonly PlacedMachine[],
  overcommit: number,
): readonly Load[] =>
  hosts
    .filter((host) => host.zone === zone && (host.service ?? 'in') === 'in')
    .map((host): Load => {
      const load: Load = {
        host: host.name,
        cores: host.cores * overcommit,
        memoryBytes: host.memoryBytes,
        freeCores: host.cores * overcommit,
        freeMemory: host.memoryBytes,
        holds: [],
      }
      for (const machine of placedMachines)
        if (machine.host === host.name)
          put(load, {
            cores: machine.cores,
            memoryBytes: machine.memoryBytes,
            apart: machine.apart ?? null,
          })
      return load
    })

/** Why a machine has no place although the others stand as they do. */
function whyNot(machine: MachineWish, loads: readonly Load[], hasHosts: boolean): Said {
  if (loads.length === 0)
    return hasHosts
      ? said('hosts-out-of-service', { zone: machine.zone })
      : said('no-host', { zone: machine.zone })
  const apart = loads.filter(
    (load) => machine.apart === null || !load.holds.some((hold) => hold.apart === machine.apart),
  )
  if (apart.length === 0) return said('hosts-hold-its-control-plane', { zone: machine.zone })
  if (!apart.some((load) => takes(load, machine))) {
    const max = Math.max(0, ...apart.map((load) => load.freeCores))
    return max >= machine.cores
      ? said('no-memory-left', { zone: machine.zone })
      : said('no-cores-left', { zone: machine.zone, cores: machine.cores, left: max })
  }
  return said('kept-for-failover', { zone: machine.zone })
}

/** Places one after the other, largest first, onto the emptiest host; what breaks the reserve stays out. */
function firstFit(
  wishes: readonly MachineWish[],
  loads: readonly Load[],
  reserve: boolean,
  hasHosts: boolean,
): HallRoom {
  const placed: { name: string; host: string }[] = []
  const unfit: (Said & { name: string })[] = []
  for (const machine of [...wishes].sort((a, b) => bigger(a, b) || compareText(a.name, b.name))) {
    const target = [...loads]
      .sort((a, b) => b.freeCores - a.freeCores || compareText(a.host, b.host))
      .find((load) => takes(load, machine))
    if (target) {
      put(target, machine)
      if (!reserve || hostThatMayNotDie(loads) === null) {
        placed.push({ name: machine.name, host: target.host })
        continue
      }
      take(target, machine)
    }
    unfit.push({ name: machine.name, ...whyNot(machine, loads, hasHosts) })
  }
  return { placed, unfit }
}

/** The smallest set of a zone's wishes to leave out, and where the rest goes. */
function exactly(
  wishes: readonly MachineWish[],
  loads: readonly Load[],
  reserve: boolean,
  hasHosts: boolean,
): HallRoom {
  const classes = new Map<string, MachineWish[]>()
  for (const machine of [...wishes].sort((a, b) => compareText(a.name, b.name))) {
    const like = `${machine.cores}/${machine.memoryBytes}/${machine.apart ?? ''}`
    classes.set(like, [...(classes.get(like) ?? []), machine])
  }
  const groups = [...classes.values()]
  /** All ways to leave out `count` machines, alike ones by their first names. */
  const ways = (count: number, from = 0): readonly (readonly MachineWish[])[] => {
    const group = groups[from]
    if (!group) return count === 0 ? [[]] : []
    return Array.from({ length: Math.min(count, group.length) + 1 }, (_, k) =>
      ways(count - k, from + 1).map((rest) => [...group.slice(0, k), ...rest]),
    ).flat()
  }
  const key = (set: readonly MachineWish[]): string =>
    set
      .map((machine) => machine.name)
      .sort(compareText)
      .join('\n')
  for (let out = 0; out <= wishes.length; out++) {
    for (const left of [...ways(out)].sort((a, b) => compareText(key(a), key(b)))) {
      const kept = wishes.filter((machine) => !left.includes(machine))
      // What stands may break the reserve by itself: then nothing more is added, but nothing is blamed for it either.
      const matches = placeAll(kept, loads, reserve && kept.length > 0)
      if (!matches) continue
      kept.forEach((machine, i) => {
        const load = loads.find((load) => load.host === matches[i])
        if (load) put(load, machine)
      })
      return {
        placed: kept.map((machine, i) => ({ name: machine.name, host: matches[i] ?? '' })),
        unfit: left.map((machine) => ({ name: machine.name, ...whyNot(machine, loads, hasHosts) })),
      }
    }
  }
  return {
    placed: [],
    unfit: wishes.map((machine) => ({ name: machine.name, ...whyNot(machine, loads, hasHosts) })),
  }
}

/** Places `wishes` beside what stands. `reserve` false leaves the failover reserve out of account. */
export function hallRoom(
  hosts: readonly RoomHost[],
  placedMachines: readonly PlacedMachine[],
  wishes: readonly MachineWish[],
  overcommit: number,
  reserve: boolean,
): HallRoom {
  const exact = wishes.length <= exactMachines
  const zones = [...new Set(wishes.map((machine) => machine.zone))]
  const parts = zones.map((zone) => {
    const loads = loadsOf(zone, hosts, placedMachines, overcommit)
    const inZone = wishes.filter((machine) => machine.zone === zone)
    const hasHosts = hosts.some((host) => host.zone === zone)
    return exact
      ? exactly(inZone, loads, reserve, hasHosts)
      : firstFit(inZone, loads, reserve, hasHosts)
  })
  const byName = (a: { readonly name: string }, b: { readonly name: string }): number =>
    compareText(a.name, b.name)
  return {
    placed: parts.flatMap((part) => part.placed).sort(byName),
    unfit: parts.flatMap((part) => part.unfit).sort(byName),
  }
}
