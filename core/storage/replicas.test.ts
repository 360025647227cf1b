import { describe, expect, it } from 'vitest'
import { compareText, seeded } from '../units'
import { placeReplicas, replicaMistake, type ReplicaOrder } from './replicas'

const disk = (name: string, bytes: number, scheduledBytes = 0, freeBytes = bytes) => ({
  name,
  bytes,
  scheduledBytes,
  freeBytes,
})
const order = (changes: Partial<ReplicaOrder> = {}): ReplicaOrder => ({
  nodes: [
    { name: 'cedar-storage-1', zone: 'mossgate-a', disks: [disk('sda', 1200)] },
    { name: 'cedar-storage-2', zone: 'mossgate-b', disks: [disk('sda', 1200, 300)] },
    { name: 'cedar-storage-3', zone: 'mossgate-c', disks: [disk('sda', 1200)] },
    { name: 'cedar-general-1', zone: 'mossgate-a', disks: [disk('sdb', 400)] },
  ],
  volumes: [],
  settings: { plannedPercent: 60, floorPercent: 20 },
  rebuild: { atOnce: 2, bytesPerSecond: 10 },
  ...changes,
})
const volume = (
  name: string,
  bytes: number,
  replicas: number,
  zones: 'required' | 'preferred' | 'any' = 'required',
  changes: Partial<ReplicaOrder['volumes'][number]> = {},
) => ({ name, bytes, usedBytes: bytes / 2, replicas, zones, ...changes })

describe('copies of volumes', () => {
  it('go to other zones first, and to the disk with the most unscheduled room', () => {
    const { volumes } = placeReplicas(
      order({ volumes: [volume('ledger', 200, 3), volume('log', 100, 2, 'any')] }),
    )
    expect(volumes[0]?.replicas.map(({ node }) => node)).toEqual([
      'cedar-storage-1',
      'cedar-storage-3',
      'cedar-storage-2',
    ])
    expect(volumes[1]?.replicas.map(({ node }) => node)).toEqual([
      'cedar-storage-1',
      'cedar-storage-3',
    ])
  })

  it('keep what could be placed and count the disks by why they refuse', () => {
    const { volumes } = placeReplicas(
      order({
        nodes: [
          { name: 'a', zone: 'x', disks: [disk('d1', 1000), disk('d2', 1000)] },
          { name: 'b', zone: 'x', disks: [disk('d1', 1000)] },
          { name: 'c', zone: 'y', disks: [disk('d1', 1000, 590)] },
          { name: 'd', zone: 'z', disks: [disk('d1', 1000, 0, 199)] },
        ],
        volumes: [volume('ledger', 100, 3)],
      }),
    )
    expect(volumes[0]).toEqual({
      name: 'ledger',
      replicas: [{ node: 'a', disk: 'd1' }],
      short: 2,
      tally: { 'node-taken': 2, 'zone-taken': 1, 'no-room': 1, floor: 1 },
    })
  })

  it('tell of a lost zone what is lost, degraded, and copied in what time', () => {
    const { losses } = placeReplicas(
      order({
        volumes: [volume('ledger', 200, 2), volume('cache', 20, 1), volume('photos', 100, 2)],
      }),
    )
    const zone = losses.find((loss) => loss.disk === 'mossgate-a')
    expect(zone).toEqual({
      disk: 'mossgate-a',
      lost: ['cache'],
      degraded: ['ledger', 'photos'],
      whole: true,
      copyBytes: 150,
      seconds: 10,
    })
    expect(losses.map((loss) => loss.disk)).toEqual([
      'cedar-general-1/sdb',
      'cedar-storage-1/sda',
      'cedar-storage-2/sda',
      'cedar-storage-3/sda',
      'cedar-general-1',
      'cedar-storage-1',
      'cedar-storage-2',
      'cedar-storage-3',
      'mossgate-a',
      'mossgate-b',
      'mossgate-c',
    ])
  })

  it('stand where they stand, and one too many stays', () => {
    const on = ['cedar-storage-1', 'cedar-storage-2', 'cedar-storage-3'].map((node) => ({
      node,
      disk: 'sda',
    }))
    const { volumes } = placeReplicas(
      order({ volumes: [volume('ledger', 200, 2, 'required', { on })] }),
    )
    expect(volumes[0]).toEqual({ name: 'ledger', replicas: on, short: 0, tally: {} })
  })

  it.each([
    ['volumes[0].on[0].node', [{ node: 'nowhere', disk: 'sda' }]],
    ['volumes[0].on[0].disk', [{ node: 'cedar-storage-1', disk: 'sdz' }]],
    [
      'volumes[0].on[1]',
      [
        { node: 'cedar-storage-1', disk: 'sda' },
        { node: 'cedar-storage-1', disk: 'sda' },
      ],
    ],
  ])('refuse a place that there is not, at %s', (path, on) => {
    const volumes = [volume('ledger', 200, 2, 'required', { on })]
    expect(replicaMistake(order({ volumes }))?.path).toBe(path)
  })

  it('are as a plain reading of the rule has them, on random worlds', () => {
    const random = seeded(21)
    const pick = (count: number): number => Math.floor(random() * count)
    let short = 0
    let broken = 0
    for (let round = 0; round < 300; round += 1) {
      const world = order({
        nodes: Array.from({ length: 2 + pick(5) }, (_, nth) => ({
          name: `n${nth}`,
          zone: `z${pick(3)}`,
          disks: Array.from({ length: 1 + pick(2) }, (__, at) =>
            disk(`d${at}`, 50 + pick(50), pick(20), pick(100)),
          ),
        })),
        volumes: Array.from({ length: 1 + pick(5) }, (_, nth) =>
          volume(
            `v${pick(90)}-${nth}`,
            pick(30),
            pick(4),
            (['required', 'preferred', 'any'] as const)[pick(3)] ?? 'any',
          ),
        ),
        settings: { plannedPercent: 30 + pick(90), floorPercent: pick(40) },
        rebuild: { atOnce: 1 + pick(3), bytesPerSecond: 1 + pick(7) },
      })
      const answer = placeReplicas(world)
      expect(answer).toEqual(plainly(world))
      short += answer.volumes.filter((placed) => placed.short > 0).length
      broken += answer.losses.filter((loss) => !loss.whole).length
    }
    expect(short).toBeGreaterThan(50)
    expect(broken).toBeGreaterThan(50)
  })
})

interface PlainDisk {
  node: string
  zone: string
  name: string
  bytes: number
  scheduled: number
  free: number
}

/** The rule written out without any thought of speed: the oracle. */
function plainly(world: ReplicaOrder) {
  const { plannedPercent, floorPercent } = world.settings
  const all: PlainDisk[] = world.nodes
    .flatMap((node) =>
      node.disks.map((entry) => ({
        node: node.name,
        zone: node.zone,
        name: entry.name,
        bytes: entry.bytes,
        scheduled: entry.scheduledBytes,
        free: entry.freeBytes,
      })),
    )
    .sort((a, b) => compareText(a.node, b.node) || compareText(a.name, b.name))
  const why = (target: PlainDisk, of: ReplicaOrder['volumes'][number], own: PlainDisk[]) => {
    if (own.some((entry) => entry.node === target.node)) return 'node-taken'
    if (of.zones === 'required' && own.some((entry) => entry.zone === target.zone))
      return 'zone-taken'
    if ((target.scheduled + of.bytes) * 100 > target.bytes * plannedPercent) return 'no-room'
    return target.free * 100 < target.bytes * floorPercent ? 'floor' : null
  }
  const add = (disks: PlainDisk[], of: ReplicaOrder['volumes'][number], own: PlainDisk[]) => {
    const candidates = disks.filter((entry) => why(entry, of, own) === null)
    const inZone = (entry: PlainDisk): number =>
      of.zones === 'any' ? 0 : own.filter((copy) => copy.zone === entry.zone).length
    const room = (entry: PlainDisk): number => entry.bytes * plannedPercent - entry.scheduled * 100
    candidates.sort(
      (a, b) =>
        inZone(a) - inZone(b) ||
        room(b) - room(a) ||
        compareText(a.node, b.node) ||
        compareText(a.name, b.name),
    )
    const [first] = candidates
    if (!first) return false
    first.scheduled += of.bytes
    own.push(first)
    return true
  }
  const placed = world.volumes.map((of) => {
    const own: PlainDisk[] = []
    while (own.length < of.replicas && add(all, of, own));
    return { of, own }
  })
  const volumes = placed.map(({ of, own }) => ({ name: of.name, own, of }))
  const lose = (label: string, gone: (entry: PlainDisk) => boolean) => {
    const lost: string[] = []
    const degraded: string[] = []
    const copies: number[] = []
    let whole = true
    const left = all.filter((entry) => !gone(entry)).map((entry) => ({ ...entry }))
    for (const { of, own } of [...placed].sort((a, b) => compareText(a.of.name, b.of.name))) {
      if (!own.some(gone)) continue
      const kept = left.filter((entry) =>
        own.some((copy) => copy.node === entry.node && copy.name === entry.name),
      )
      if (kept.length === 0) {
        lost.push(of.name)
        continue
      }
      degraded.push(of.name)
      while (kept.length < of.replicas && add(left, of, kept)) copies.push(of.usedBytes)
      if (kept.length < of.replicas) whole = false
    }
    const lanes = new Array<number>(world.rebuild.atOnce).fill(0)
    for (const bytes of copies.sort((a, b) => b - a)) {
      lanes.sort((a, b) => a - b)
      lanes[0] = (lanes[0] ?? 0) + bytes
    }
    return {
      disk: label,
      lost,
      degraded,
      whole,
      copyBytes: copies.reduce((sum, bytes) => sum + bytes, 0),
      seconds: Math.ceil(Math.max(...lanes) / world.rebuild.bytesPerSecond),
    }
  }
  const zones = [...new Set(world.nodes.map((node) => node.zone))].sort(compareText)
  const names = world.nodes.map((node) => node.name).sort(compareText)
  const losses = [
    ...all.map((lost) =>
      lose(
        `${lost.node}/${lost.name}`,
        (entry) => entry.node === lost.node && entry.name === lost.name,
      ),
    ),
    ...names.map((name) => lose(name, (entry) => entry.node === name)),
    ...zones.map((zone) => lose(zone, (entry) => entry.zone === zone)),
  ]
  return { volumes: tallied(world, volumes, why), losses }
}

/** The tally at the replica that failed: room as it was then, so the volumes are gone through once more. */
function tallied(
  world: ReplicaOrder,
  volumes: readonly {
    name: string
    own: readonly PlainDisk[]
    of: ReplicaOrder['volumes'][number]
  }[],
  why: (target: PlainDisk, of: ReplicaOrder['volumes'][number], own: PlainDisk[]) => string | null,
) {
  const fresh: PlainDisk[] = world.nodes.flatMap((node) =>
    node.disks.map((entry) => ({
      node: node.name,
      zone: node.zone,
      name: entry.name,
      bytes: entry.bytes,
      scheduled: entry.scheduledBytes,
      free: entry.freeBytes,
    })),
  )
  return volumes.map(({ name, own, of }) => {
    for (const copy of own) {
      const target = fresh.find((entry) => entry.node === copy.node && entry.name === copy.name)
      if (target) target.scheduled += of.bytes
    }
    const short = Math.max(0, of.replicas - own.length)
    const tally: Record<string, number> = {}
    for (const entry of short > 0 ? fresh : []) {
      const reason = why(entry, of, [...own])
      if (reason) tally[reason] = (tally[reason] ?? 0) + 1
    }
    return {
      name,
      replicas: own.map(({ node, name: diskName }) => ({ node, disk: diskName })),
      short,
      tally,
    }
  })
}
