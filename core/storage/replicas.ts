/**
 * Where the copies of volumes go, one after another, and what the loss of a disk, a node or a zone would cost. Room is
 * kept as whole bytes and the fraction below, so that comparing two disks is exact. O(volumes × replicas × disks), and for
 * the losses that once more for each of them, over the volumes they touch.
 */
import { z } from 'zod'
import { longestLane, secondsFor } from '../sizing'
import { compareText } from '../units'

const name = z.string().min(1, 'A name is missing.').max(253)
const bytes = z.int('Sizes are whole bytes.').min(0).max(Number.MAX_SAFE_INTEGER)

export const replicaPlacementSchema = z.object({
  nodes: z
    .array(
      z.object({
        name,
        zone: name,
        disks: z
          .array(z.object({ name, bytes, scheduledBytes: bytes, freeBytes: bytes }))
          .max(1000),
      }),
    )
    .max(20_000),
  volumes: z
    .array(
      z.object({
        name,
        bytes,
        usedBytes: bytes,
        replicas: z.int().min(0).max(1000),
        zones: z.enum(['required', 'preferred', 'any']),
        on: z
          .array(z.object({ node: name, disk: name }))
          .max(1000)
          .optional(),
      }),
    )
    .max(100_000),
  settings: z.object({
    plannedPercent: z.number().min(0).max(10_000),
    floorPercent: z.number().min(0).max(100),
  }),
  rebuild: z.object({
    atOnce: z.int().min(1).max(100_000),
    bytesPerSecond: z.number().positive('A rate is above 0.').max(1e15),
  }),
})

export type ReplicaOrder = z.infer<typeof replicaPlacementSchema>
export type ReplicaVolume = ReplicaOrder['volumes'][number]
export const refusals = ['node-taken', 'zone-taken', 'no-room', 'floor'] as const
export type Refusal = (typeof refusals)[number]

export interface Replica {
  readonly node: string
  readonly disk: string
}

export interface PlacedVolume {
  readonly name: string
  readonly replicas: readonly Replica[]
  /** How many replicas found no place. */
  readonly short: number
  /** Disks by why they could not take the first replica that failed. */
  readonly tally: Readonly<Partial<Record<Refusal, number>>>
}

export interface Loss {
  /** `node/disk`, a node, or a zone. */
  readonly disk: string
  readonly lost: readonly string[]
  readonly degraded: readonly string[]
  readonly whole: boolean
  readonly copyBytes: number
  readonly seconds: number
}

/** A disk as it fills up. */
interface Disk {
  readonly node: string
  readonly zone: string
  readonly name: string
  /** What may be scheduled on it: whole bytes, and the fraction below a byte. */
  readonly plannedBytes: number
  readonly plannedFraction: number
  readonly aboveFloor: boolean
  scheduledBytes: number
}

const percentScale = 1_000_000

/** `percent` of a size: its whole bytes and the fraction left, exact to a millionth of a percent. */
function shareOf(size: number, percent: number): readonly [number, number] {
  const scaled = BigInt(size) * BigInt(Math.round(percent * percentScale))
  const divisor = BigInt(100 * percentScale)
  return [Number(scaled / divisor), Number(scaled % divisor)]
}

function disksOf({ nodes, settings }: ReplicaOrder): readonly Disk[] {
  return nodes
    .flatMap((node) =>
      node.disks.map((disk): Disk => {
        const [plannedBytes, plannedFraction] = shareOf(disk.bytes, settings.plannedPercent)
        const [floorBytes, floorFraction] = shareOf(disk.bytes, settings.floorPercent)
        return {
          node: node.name,
          zone: node.zone,
          name: disk.name,
          plannedBytes,
          plannedFraction,
          aboveFloor: disk.freeBytes >= floorBytes + (floorFraction > 0 ? 1 : 0),
          scheduledBytes: disk.scheduledBytes,
        }
      }),
    )
    .sort((a, b) => compareText(a.node, b.node) || compareText(a.name, b.name))
}

/** Whether `a` has more unscheduled room than `b`. Disks come by node and name, so that of equal ones the first stays. */
function hasMoreRoom(a: Disk, b: Disk): boolean {
  const difference = a.plannedBytes - a.scheduledBytes - (b.plannedBytes - b.scheduledBytes)
  return difference > 0 || (difference === 0 && a.plannedFraction > b.plannedFraction)
}

/** Why a disk cannot take a replica; the first reason that applies. */
function refusal(disk: Disk, volume: ReplicaVolume, replicas: readonly Disk[]): Refusal | null {
  if (replicas.some((replica) => replica.node === disk.node)) return 'node-taken'
  if (volume.zones === 'required' && replicas.some((replica) => replica.zone === disk.zone))
    return 'zone-taken'
  if (disk.scheduledBytes + volume.bytes > disk.plannedBytes) return 'no-room'
  return disk.aboveFloor ? null : 'floor'
}

/** The disk for the next replica: in the zones with the fewest of them, the one with the most room. */
function chooseDisk(
  disks: readonly Disk[],
  volume: ReplicaVolume,
  replicas: readonly Disk[],
): Disk | null {
  let chosen: Disk | null = null
  let fewest = Infinity
  for (const disk of disks) {
    if (refusal(disk, volume, replicas) !== null) continue
    const inZone =
      volume.zones === 'any' ? 0 : replicas.filter((replica) => replica.zone === disk.zone).length
    if (chosen && (inZone > fewest || (inZone === fewest && !hasMoreRoom(disk, chosen)))) continue
    chosen = disk
    fewest = inZone
  }
  return chosen
}

/** Adds replicas up to the wanted number, as far as there is a disk for each; gives how many were added. */
function fill(disks: readonly Disk[], volume: ReplicaVolume, replicas: Disk[]): number {
  let added = 0
  while (replicas.length < volume.replicas) {
    const disk = chooseDisk(disks, volume, replicas)
    if (!disk) break
    disk.scheduledBytes += volume.bytes
    replicas.push(disk)
    added += 1
  }
  return added
}

function tallyOf(
  disks: readonly Disk[],
  volume: ReplicaVolume,
  replicas: readonly Disk[],
): PlacedVolume['tally'] {
  const tally: Partial<Record<Refusal, number>> = {}
  for (const disk of disks) {
    const reason = refusal(disk, volume, replicas)
    if (reason) tally[reason] = (tally[reason] ?? 0) + 1
  }
  return tally
}

interface Placed {
  readonly volume: ReplicaVolume
  readonly replicas: readonly Disk[]
}

/** What is lost with the disks that `isGone` tells, and what making whole again would take. */
function lossOf(
  label: string,
  isGone: (disk: Disk) => boolean,
  touched: readonly Placed[],
  disks: readonly Disk[],
  rebuild: ReplicaOrder['rebuild'],
): Loss {
  const lost: string[] = []
  const degraded: Placed[] = []
  for (const { volume, replicas } of touched) {
    const left = replicas.filter((replica) => !isGone(replica))
    if (left.length === 0) lost.push(volume.name)
    else degraded.push({ volume, replicas: left })
  }
  const copies: number[] = []
  let whole = true
  if (degraded.some(({ volume, replicas }) => replicas.length < volume.replicas)) {
    const remaining = new Map(
      disks.filter((disk) => !isGone(disk)).map((disk) => [disk, { ...disk }]),
    )
    const free = [...remaining.values()]
    for (const { volume, replicas } of degraded) {
      const own = replicas.flatMap((replica) => remaining.get(replica) ?? [])
      const added = fill(free, volume, own)
      for (let copy = 0; copy < added; copy += 1) copies.push(volume.usedBytes)
      if (own.length < volume.replicas) whole = false
    }
  }
  return {
    disk: label,
    lost,
    degraded: degraded.map(({ volume }) => volume.name),
    whole,
    copyBytes: copies.reduce((sum, size) => sum + size, 0),
    seconds: secondsFor(longestLane(copies, rebuild.atOnce), rebuild.bytesPerSecond),
  }
}

/** Volumes by what they have a replica on, each list by the names of the volumes. */
function placedBy<Key>(placed: readonly Placed[], keyOf: (disk: Disk) => Key) {
  const groups = new Map<Key, Placed[]>()
  for (const volume of placed) {
    for (const key of new Set(volume.replicas.map(keyOf))) {
      const group = groups.get(key)
      if (group) group.push(volume)
      else groups.set(key, [volume])
    }
  }
  return (key: Key): readonly Placed[] => groups.get(key) ?? []
}

function lossesOf(
  { nodes, rebuild }: ReplicaOrder,
  disks: readonly Disk[],
  placed: readonly Placed[],
): readonly Loss[] {
  const byName = [...placed].sort((a, b) => compareText(a.volume.name, b.volume.name))
  const onDisk = placedBy(byName, (disk) => disk)
  const onNode = placedBy(byName, (disk) => disk.node)
  const inZone = placedBy(byName, (disk) => disk.zone)
  const nodeNames = nodes.map((node) => node.name).sort(compareText)
  const zones = [...new Set(nodes.map((node) => node.zone))].sort(compareText)
  return [
    ...disks.map((gone) =>
      lossOf(`${gone.node}/${gone.name}`, (disk) => disk === gone, onDisk(gone), disks, rebuild),
    ),
    ...nodeNames.map((node) =>
      lossOf(node, (disk) => disk.node === node, onNode(node), disks, rebuild),
    ),
    ...zones.map((zone) =>
      lossOf(zone, (disk) => disk.zone === zone, inZone(zone), disks, rebuild),
    ),
  ]
}

/** Places the replicas of an order without mistakes (`replicaMistake`), and weighs every loss. */
export function placeReplicas(order: ReplicaOrder): {
  readonly volumes: readonly PlacedVolume[]
  readonly losses: readonly Loss[]
} {
  const disks = disksOf(order)
  const diskAt = new Map(disks.map((disk) => [JSON.stringify([disk.node, disk.name]), disk]))
  const placed: Placed[] = []
  const volumes = order.volumes.map((volume): PlacedVolume => {
    const replicas = (volume.on ?? []).flatMap(
      ({ node, disk }) => diskAt.get(JSON.stringify([node, disk])) ?? [],
    )
    fill(disks, volume, replicas)
    placed.push({ volume, replicas })
    const short = Math.max(0, volume.replicas - replicas.length)
    return {
      name: volume.name,
      replicas: replicas.map((disk) => ({ node: disk.node, disk: disk.name })),
      short,
      tally: short === 0 ? {} : tallyOf(disks, volume, replicas),
    }
  })
  return { volumes, losses: lossesOf(order, disks, placed) }
}

export interface ReplicaMistake {
  /** As a field is named in an error: `volumes[2].on[0]`. */
  readonly path: string
  readonly says: string
}

/** The first name that is given twice, or standing replica that lies on no disk of the order. */
export function replicaMistake({ nodes, volumes }: ReplicaOrder): ReplicaMistake | null {
  const disks = new Map<string, Set<string>>()
  for (const [at, node] of nodes.entries()) {
    if (disks.has(node.name))
      return { path: `nodes[${at}].name`, says: `There are two nodes ${node.name}.` }
    const names = new Set<string>()
    for (const [nth, disk] of node.disks.entries()) {
      if (names.has(disk.name))
        return {
          path: `nodes[${at}].disks[${nth}].name`,
          says: `${node.name} has two disks ${disk.name}.`,
        }
      names.add(disk.name)
    }
    disks.set(node.name, names)
  }
  const seen = new Set<string>()
  for (const [at, volume] of volumes.entries()) {
    if (seen.has(volume.name))
      return { path: `volumes[${at}].name`, says: `There are two volumes ${volume.name}.` }
    seen.add(volume.name)
    const own = new Set<string>()
    for (const [nth, { node, disk }] of (volume.on ?? []).entries()) {
      const here = `volumes[${at}].on[${nth}]`
      const names = disks.get(node)
      if (!names) return { path: `${here}.node`, says: `There is no node ${node}.` }
      if (!names.has(disk)) return { path: `${here}.disk`, says: `${node} has no disk ${disk}.` }
      const key = JSON.stringify([node, disk])
      if (own.has(key))
        return {
          path: here,
          says: `${volume.name} has two replicas on the disk ${disk} of ${node}.`,
        }
      own.add(key)
    }
  }
  return null
}
