import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { GiB, MiB } from '../units'
import { allocatable, hallRoom, hostLoss, quorum } from '.'

describe('allocatable', () => {
  it('leaves 3,920 m and 14,283,282,841 bytes of 4 cores and 16 GiB', () => {
    expect(allocatable(4000, 16 * GiB)).toEqual({
      cpuMilli: 3920,
      memoryBytes: 14_283_282_841,
      reserved: { cpuMilli: 80, memoryBytes: 16 * GiB - 14_283_282_841 },
    })
  })

  it.each([
    [1000, 940],
    [2000, 1930],
    [500, 470],
    [8000, 7910],
    [64_000, 63_770],
    [0, 0],
  ])('leaves of %i m cpu %i m', (capacity, left) =>
    expect(allocatable(capacity, GiB).cpuMilli).toBe(left),
  )

  it.each([
    [GiB, GiB - 256 * MiB - 100 * MiB],
    [GiB - 1, GiB - 1 - 255 * MiB - 100 * MiB],
    [300 * MiB, 0],
    [0, 0],
    [256 * GiB, Math.floor(256 * GiB - (1 + 0.8 + 0.8 + 6.72 + 2.56) * GiB - 100 * MiB)],
  ])('leaves of %i bytes %i', (capacity, left) =>
    expect(allocatable(1000, capacity).memoryBytes).toBe(left),
  )

  it('and reserved make up the capacity, and more capacity never leaves less', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 0, max: 512_000 }),
        fc.integer({ min: 2 * GiB, max: 1024 * GiB }),
        fc.integer({ min: 0, max: GiB }),
        (cpu, memory, more) => {
          const entry = allocatable(cpu, memory)
          expect(entry.cpuMilli + entry.reserved.cpuMilli).toBe(cpu)
          expect(entry.memoryBytes + entry.reserved.memoryBytes).toBe(memory)
          expect(allocatable(cpu + 10, memory + more).memoryBytes).toBeGreaterThanOrEqual(
            entry.memoryBytes,
          )
        },
      ),
    )
  })
})

describe('quorum', () => {
  it.each([
    [[1], 0, [false], null],
    [[3], 1, [false], null],
    [[1, 1, 1], 1, [true, true, true], null],
    [[2, 1], 1, [false, true], null],
    [[2, 2, 1], 2, [true, true, true], null],
    [[1, 1], 0, [false, false], 'stop'],
    [[2, 2], 1, [false, false], 'caution'],
    [[3, 0, 3], 2, [false, true, false], 'caution'],
  ])('of %j tolerates %i', (zones, tolerates, survives, level) => {
    const report = quorum(zones)
    expect(report).toMatchObject({ tolerates, survivesZoneLoss: survives })
    expect(report?.finding?.level ?? null).toBe(level)
  })

  it('of nobody is no quorum', () => {
    expect(quorum([])).toBeNull()
    expect(quorum([0, 0])).toBeNull()
  })
})

describe('the room of a hall', () => {
  const hosts = ['a-1', 'a-2', 'a-3'].map((name) => ({
    name,
    zone: 'a',
    cores: 8,
    memoryBytes: 64 * GiB,
  }))
  const request = (name: string, cores: number, apart: string | null = null) => ({
    name,
    zone: 'a',
    cores,
    memoryBytes: GiB,
    apart,
  })

  it('keeps control-plane machines of one cluster on different hosts', () => {
    const room = hallRoom(
      hosts,
      [],
      ['cp-1', 'cp-2', 'cp-3', 'cp-4'].map((name) => request(name, 1, 'cedar')),
      1,
      false,
    )
    expect(new Set(room.placed.map(({ host }) => host)).size).toBe(3)
    expect(room.unfit.map(({ name }) => name)).toEqual(['cp-1'])
  })

  it('keeps one host’s worth free, so that whatever dies restarts', () => {
    const wishes = Array.from({ length: 24 }, (_, i) =>
      request(`m-${String(i).padStart(2, '0')}`, 1),
    )
    expect(hallRoom(hosts, [], wishes, 1, false).unfit).toEqual([])
    expect(hallRoom(hosts, [], wishes, 1, true).placed).toHaveLength(16)
  })

  it('counts what stands, with the overcommit', () => {
    const existing = [{ name: 'old', zone: 'a', host: 'a-1', cores: 8, memoryBytes: GiB }]
    const big = [request('b-1', 8), request('b-2', 8), request('b-3', 8)]
    expect(hallRoom(hosts, existing, big, 1, false).unfit).toHaveLength(1)
    expect(hallRoom(hosts, existing, big, 2, false).unfit).toEqual([])
  })
})

describe('the loss of a host', () => {
  const hosts = ['a-1', 'a-2', 'a-3']
    .map((name) => ({ name, zone: 'a', cores: 8, memoryBytes: 64 * GiB }))
    .concat([{ name: 'b-1', zone: 'b', cores: 8, memoryBytes: 64 * GiB }])
  const machine = (name: string, host: string, cores: number) => ({
    name,
    zone: 'a',
    host,
    cores,
    memoryBytes: GiB,
  })

  it('restarts its machines by name on the first host of their zone with room', () => {
    const loss = hostLoss(
      hosts,
      [machine('m-2', 'a-1', 4), machine('m-1', 'a-1', 4), machine('x', 'a-2', 6)],
      'a-1',
      1,
    )
    expect(loss).toEqual({
      host: 'a-1',
      moves: [
        { machine: 'm-1', to: 'a-3' },
        { machine: 'm-2', to: 'a-3' },
      ],
      homeless: [],
    })
  })

  it('names those without a place, never in another zone', () => {
    const loss = hostLoss(
      hosts,
      [machine('m-1', 'a-1', 8), machine('x', 'a-2', 4), machine('y', 'a-3', 5)],
      'a-1',
      1,
    )
    expect(loss?.homeless).toEqual([
      {
        machine: 'm-1',
        code: 'no-host-with-room',
        params: { cores: 8, zone: 'a', limit: 4 },
        says: 'it needs 8 cores; the emptiest other host of a has 4 left',
      },
    ])
    expect(hostLoss(hosts, [machine('m-1', 'b-1', 1)], 'b-1', 1)?.homeless).toHaveLength(1)
    expect(hostLoss(hosts, [], 'lost', 1)).toBeNull()
  })
})
