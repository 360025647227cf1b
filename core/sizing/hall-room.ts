/**
 * Whether the hosts of a hall take more machines, by cores (with the hall's overcommit) and memory.
 * Greedy: largest machine first, onto the emptiest host of the zone asked for; control-plane machines of one
 * cluster never share a host; afterwards the loss of any one host must leave room for its machines on the
 * rest of the zone, restarted in order of name onto the first host with room. O(machines × hosts).
 */
import { compareText } from '../units'

export interface RoomHost {
  readonly name: string
  readonly zone: string
  readonly cores: number
  readonly memoryBytes: number
}

export interface PlacedMachine {
  readonly name: string
  readonly zone: string
  readonly host: string | null
  readonly cores: number
  readonly memoryBytes: number
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
  readonly unfit: readonly { readonly name: string; readonly says: string }[]
}

interface Load {
  readonly host: RoomHost
  cores: number
  memoryBytes: number
  readonly holds: { name: string; cores: number; memoryBytes: number }[]
  readonly groups: Set<string>
}

/** The first machine that has no room when `lost` is gone, or null. */
function homelessAfterLoss(lost: Load, zone: readonly Load[], overcommit: number): string | null {
  const rest = zone.filter((load) => load !== lost).map((load) => ({ ...load }))
  for (const machine of [...lost.holds].sort((a, b) => compareText(a.name, b.name))) {
    const target = rest.find((load) => fits(load, machine, overcommit))
    if (!target) return machine.name
    target.cores += machine.cores
    target.memoryBytes += machine.memoryBytes
  }
  return null
}

const fits = (load: Load, machine: { cores: number; memoryBytes: number }, overcommit: number): boolean =>
  load.cores + machine.cores <= load.host.cores * overcommit && load.memoryBytes + machine.memoryBytes <= load.host.memoryBytes

/** Places `wishes` beside what stands. `reserve` false leaves the failover reserve out of account. */
export function hallRoom(
  hosts: readonly RoomHost[],
  standing: readonly PlacedMachine[],
  wishes: readonly MachineWish[],
  overcommit: number,
  reserve: boolean,
): HallRoom {
  const loads = hosts.map((host): Load => ({ host, cores: 0, memoryBytes: 0, holds: [], groups: new Set() }))
  const byName = new Map(loads.map((load) => [load.host.name, load]))
  const put = (load: Load, machine: { name: string; cores: number; memoryBytes: number }): void => {
    load.cores += machine.cores
    load.memoryBytes += machine.memoryBytes
    load.holds.push(machine)
  }
  for (const machine of standing) {
    const load = machine.host === null ? undefined : byName.get(machine.host)
    if (load) put(load, machine)
  }
  const placed: { name: string; host: string }[] = []
  const unfit: { name: string; says: string }[] = []
  const ordered = [...wishes].sort((a, b) => b.cores - a.cores || b.memoryBytes - a.memoryBytes || compareText(a.name, b.name))
  for (const wish of ordered) {
    const zone = loads.filter((load) => load.host.zone === wish.zone)
    const apart = zone.filter((load) => wish.apart === null || !load.groups.has(wish.apart))
    const roomy = apart.filter((load) => fits(load, wish, overcommit)).sort((a, b) => a.cores - b.cores || compareText(a.host.name, b.host.name))
    const target = roomy[0]
    if (!target) {
      const most = Math.max(0, ...zone.map((load) => load.host.cores * overcommit - load.cores))
      unfit.push({
        name: wish.name,
        says: zone.length === 0 ? `${wish.zone} has no host.` : apart.length === 0 ? `every host of ${wish.zone} holds another machine of its control plane` : `no host of ${wish.zone} takes ${wish.cores} cores: the emptiest has ${most} left`,
      })
      continue
    }
    put(target, wish)
    if (wish.apart !== null) target.groups.add(wish.apart)
    const homeless = reserve ? zone.map((load) => homelessAfterLoss(load, zone, overcommit)).find((name) => name !== null) : undefined
    if (homeless !== undefined) {
      target.cores -= wish.cores
      target.memoryBytes -= wish.memoryBytes
      target.holds.pop()
      if (wish.apart !== null) target.groups.delete(wish.apart)
      unfit.push({ name: wish.name, says: `one host’s worth of ${wish.zone} is kept for failover: with it placed, ${homeless} would have nowhere to restart` })
      continue
    }
    placed.push({ name: wish.name, host: target.host.name })
  }
  return { placed, unfit: unfit.sort((a, b) => compareText(a.name, b.name)) }
}
