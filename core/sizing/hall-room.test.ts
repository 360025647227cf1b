import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { hallRoom, hostLoss, type MachineWish } from '.'
import type { RoomHost } from './hall-room'

const host = (name: string, cores = 8, zone = 'a'): RoomHost => ({
  name,
  zone,
  cores,
  memoryBytes: 64,
})
const request = (
  name: string,
  cores: number,
  apart: string | null = null,
  zone = 'a',
): MachineWish => ({ name, zone, cores, memoryBytes: 1, apart })

/** Every way to place every subset, tried one by one: what the exact answer must equal. */
function plainly(
  hosts: readonly RoomHost[],
  wishes: readonly MachineWish[],
  reserve: boolean,
): readonly string[] {
  const fits = (kept: readonly MachineWish[]): boolean => {
    const at: number[] = kept.map(() => 0)
    const total = hosts.length ** kept.length
    for (let code = 0; code < total; code++) {
      let rest = code
      for (let i = 0; i < kept.length; i++) {
        at[i] = rest % hosts.length
        rest = Math.floor(rest / hosts.length)
      }
      const used = hosts.map((_, h) =>
        kept.reduce((sum, machine, i) => sum + (at[i] === h ? machine.cores : 0), 0),
      )
      if (used.some((cores, h) => cores > (hosts[h]?.cores ?? 0))) continue
      if (
        kept.some(
          (machine, i) =>
            machine.apart !== null &&
            kept.some(
              (otherMachine, j) => j > i && otherMachine.apart === machine.apart && at[i] === at[j],
            ),
        )
      )
        continue
      if (
        reserve &&
        kept.length > 0 &&
        !hosts.every((_, lost) =>
          survives(
            kept.filter((__, i) => at[i] === lost),
            hosts.map((roomHost, h) => (h === lost ? 0 : roomHost.cores - (used[h] ?? 0))),
          ),
        )
      )
        continue
      return true
    }
    return false
  }
  const survives = (things: readonly MachineWish[], room: readonly number[]): boolean => {
    const [first, ...rest] = things
    if (!first) return true
    return room.some(
      (free, h) =>
        free >= first.cores &&
        survives(
          rest,
          room.map((otherValue, i) => (i === h ? otherValue - first.cores : otherValue)),
        ),
    )
  }
  const names = wishes.map((machine) => machine.name).sort()
  const sets = Array.from({ length: 2 ** wishes.length }, (_, mask) =>
    names.filter((__, i) => mask & (1 << i)),
  ).sort((a, b) => a.length - b.length || (a.join('\n') < b.join('\n') ? -1 : 1))
  return (
    sets.find((left) => fits(wishes.filter((machine) => !left.includes(machine.name)))) ?? names
  )
}

describe('the hosts of a hall', () => {
  it('agree with every way tried one by one', () => {
    const machine = fc.record({
      cores: fc.integer({ min: 1, max: 6 }),
      apart: fc.constantFrom(null, null, 'birch'),
    })
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 3, max: 9 }), { minLength: 1, maxLength: 3 }),
        fc.array(machine, { minLength: 1, maxLength: 5 }),
        fc.boolean(),
        (sizes, machines, reserve) => {
          const hosts = sizes.map((cores, i) => host(`h${i}`, cores))
          const wishes = machines.map((eachMachine, i) =>
            request(`m${i}`, eachMachine.cores, eachMachine.apart),
          )
          expect(hallRoom(hosts, [], wishes, 1, reserve).unfit.map((entry) => entry.name)).toEqual(
            plainly(hosts, wishes, reserve),
          )
        },
      ),
      { numRuns: 150 },
    )
  })

  it('take what largest-first would not: five machines of 5, 4, 4, 3 and 2 cores on two hosts of 9', () => {
    const wishes = [
      request('a', 5),
      request('b', 4),
      request('c', 4),
      request('d', 3),
      request('e', 2),
    ]
    expect(hallRoom([host('h1', 9), host('h2', 9)], [], wishes, 1, false).unfit).toEqual([])
  })

  it('leave out the fewest, and of those the lexically first', () => {
    const room = hallRoom(
      [host('h1', 8)],
      [],
      [request('c', 4), request('b', 4), request('a', 4)],
      1,
      false,
    )
    expect(room.unfit.map((entry) => entry.name)).toEqual(['a'])
    expect(room.unfit[0]?.says).toMatch(/no host of a takes 4 cores: the emptiest has 0 left/)
    expect(
      hallRoom(
        [host('h1', 8)],
        [],
        [request('a', 8), request('b', 4), request('c', 4)],
        1,
        false,
      ).unfit.map((entry) => entry.name),
    ).toEqual(['a'])
  })

  it('keep control-plane machines of one cluster apart, also from one that stands', () => {
    const existing = [
      { name: 'birch-cp-1', zone: 'a', host: 'h1', cores: 1, memoryBytes: 1, apart: 'birch' },
    ]
    expect(
      hallRoom([host('h1'), host('h2')], existing, [request('birch-cp-2', 1, 'birch')], 1, false)
        .placed,
    ).toEqual([{ name: 'birch-cp-2', host: 'h2' }])
    expect(
      hallRoom([host('h1')], existing, [request('birch-cp-2', 1, 'birch')], 1, false).unfit[0]
        ?.says,
    ).toMatch(/holds another machine of its control plane/)
  })

  it('take nothing on a host that is out of service', () => {
    const out = { ...host('h1'), service: 'out' as const }
    expect(hallRoom([out], [], [request('a', 1)], 1, false).unfit).toEqual([
      {
        name: 'a',
        code: 'hosts-out-of-service',
        params: { zone: 'a' },
        says: 'every host of a is out of service',
      },
    ])
  })

  it('past 24 machines answer by largest first, quickly', () => {
    const hosts = Array.from({ length: 40 }, (_, i) => host(`h${String(i).padStart(2, '0')}`, 48))
    const wishes = Array.from({ length: 120 }, (_, i) =>
      request(`m${String(i).padStart(3, '0')}`, 8),
    )
    const room = hallRoom(hosts, [], wishes, 1, true)
    expect(room.unfit).toEqual([])
    expect(new Set(room.placed.map((entry) => entry.name)).size).toBe(120)
  })

  it('after a loss restart by name on the first host with room', () => {
    const machines = [
      { name: 'b', zone: 'a', host: 'h1', cores: 4, memoryBytes: 1 },
      { name: 'a', zone: 'a', host: 'h1', cores: 6, memoryBytes: 1 },
      { name: 'x', zone: 'a', host: 'h2', cores: 4, memoryBytes: 1 },
    ]
    expect(hostLoss([host('h1', 16), host('h2'), host('h3')], machines, 'h1', 1)).toEqual({
      host: 'h1',
      moves: [
        { machine: 'a', to: 'h3' },
        { machine: 'b', to: 'h2' },
      ],
      homeless: [],
    })
  })
})
