/** Disks to scale, nodes as columns by zone; in each the copies it holds, from the bottom up, and the floor kept free at its top. */
import type { StorageReport } from '~/core/contract'

type CopyState = StorageReport['volumes'][number]['replicas'][number]['state']

export interface WallBlock {
  readonly volume: string
  readonly bytes: number
  readonly usedBytes: number
  readonly state: CopyState
  readonly y: number
  readonly height: number
  /** How high it is filled. */
  readonly usedHeight: number
}

export interface WallDisk {
  /** `node/disk`. */
  readonly label: string
  readonly node: string
  readonly name: string
  readonly zone: string
  readonly state: StorageReport['disks'][number]['state']
  readonly bytes: number
  readonly freeBytes: number
  readonly plannedBytes: number
  readonly x: number
  readonly width: number
  readonly top: number
  readonly height: number
  readonly floorHeight: number
  readonly blocks: readonly WallBlock[]
}

export interface Wall {
  readonly width: number
  readonly height: number
  readonly zones: readonly { readonly name: string; readonly x: number; readonly width: number }[]
  readonly disks: readonly WallDisk[]
}

const widest = 108
const narrowest = 13
const zoneGap = 30

const compare = (a: string, b: string): number => (a < b ? -1 : Number(a > b))

/** The largest disks of a zone come first, then by node. */
function ordered(storage: StorageReport): readonly StorageReport['disks'][number][] {
  return [...storage.disks].sort(
    (a, b) =>
      compare(a.zone, b.zone) ||
      b.bytes - a.bytes ||
      compare(a.node, b.node) ||
      compare(a.name, b.name),
  )
}

/** Lays the wall out for a room of `room` × `height`; it is wider where there are more disks than fit. */
export function layWall(storage: StorageReport, room: number, height: number): Wall {
  const disks = ordered(storage)
  const zoneNames = [...new Set(disks.map((disk) => disk.zone))]
  const gaps = Math.max(0, zoneNames.length - 1) * zoneGap
  const step = Math.max(
    narrowest,
    Math.min(widest + 12, Math.floor((room - gaps) / Math.max(1, disks.length))),
  )
  const gap = step > 40 ? 12 : 2
  const tallest = Math.max(1, ...disks.map((disk) => disk.bytes))
  const scale = (bytes: number): number => (bytes / tallest) * height
  const held = new Map<string, { volume: StorageReport['volumes'][number]; state: CopyState }[]>()
  for (const volume of storage.volumes)
    for (const copy of volume.replicas) {
      const key = `${copy.node}/${copy.disk}`
      held.set(key, [...(held.get(key) ?? []), { volume, state: copy.state }])
    }
  const columns: WallDisk[] = []
  const zones: { name: string; x: number; width: number }[] = []
  let x = 0
  for (const zone of zoneNames) {
    const from = x
    for (const disk of disks.filter((candidate) => candidate.zone === zone)) {
      const label = `${disk.node}/${disk.name}`
      const full = scale(disk.bytes)
      let y = height
      const blocks = (held.get(label) ?? []).map(({ volume, state }): WallBlock => {
        const size = scale(volume.bytes)
        y -= size
        return {
          volume: volume.name,
          bytes: volume.bytes,
          usedBytes: volume.usedBytes,
          state,
          y,
          height: size,
          usedHeight: scale(Math.min(volume.usedBytes, volume.bytes)),
        }
      })
      columns.push({
        label,
        node: disk.node,
        name: disk.name,
        zone,
        state: disk.state,
        bytes: disk.bytes,
        freeBytes: disk.freeBytes,
        plannedBytes: blocks.reduce((sum, block) => sum + block.bytes, 0),
        x,
        width: step - gap,
        top: height - full,
        height: full,
        floorHeight: (full * storage.floorPercent) / 100,
        blocks,
      })
      x += step
    }
    zones.push({ name: zone, x: from, width: x - gap - from })
    x += zoneGap
  }
  return { width: Math.max(0, x - zoneGap), height, zones, disks: columns }
}
