/** What a hall does when one of its hosts dies: its own rule, by machine name, onto the first host of the zone with room. */
import type { Said } from '../contract'
import { compareText } from '../units'
import type { PlacedMachine, RoomHost } from './hall-room'
import { said } from './says'

export interface HostLoss {
  readonly host: string
  readonly moves: readonly { readonly machine: string; readonly to: string }[]
  readonly homeless: readonly (Said & { readonly machine: string })[]
}

/** Where the machines of `lost` restart, and which find no place. Null if there is no such host. O(machines × hosts). */
export function hostLoss(
  hosts: readonly RoomHost[],
  machines: readonly PlacedMachine[],
  lost: string,
  overcommit: number,
): HostLoss | null {
  const dead = hosts.find((host) => host.name === lost)
  if (!dead) return null
  const others = hosts
    .filter((host) => host.zone === dead.zone && host !== dead && (host.service ?? 'in') === 'in')
    .map((host) => {
      const on = machines.filter((machine) => machine.host === host.name)
      return {
        host,
        cores: host.cores * overcommit - on.reduce((sum, machine) => sum + machine.cores, 0),
        memoryBytes: host.memoryBytes - on.reduce((sum, machine) => sum + machine.memoryBytes, 0),
      }
    })
  const moves: { machine: string; to: string }[] = []
  const homeless: (Said & { machine: string })[] = []
  for (const machine of machines
    .filter((placedMachine) => placedMachine.host === lost)
    .sort((a, b) => compareText(a.name, b.name))) {
    const target = others.find(
      (candidate) =>
        candidate.cores >= machine.cores && candidate.memoryBytes >= machine.memoryBytes,
    )
    if (target) {
      target.cores -= machine.cores
      target.memoryBytes -= machine.memoryBytes
      moves.push({ machine: machine.name, to: target.host.name })
    } else {
      const max = Math.max(0, ...others.map((candidate) => candidate.cores))
      homeless.push({
        machine: machine.name,
        ...(others.length === 0
          ? said('no-other-host', { zone: dead.zone })
          : said('no-host-with-room', { cores: machine.cores, zone: dead.zone, limit: max })),
      })
    }
  }
  return { host: lost, moves, homeless }
}
