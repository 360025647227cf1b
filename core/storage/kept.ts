/** The replicated storage of a cluster as it stands, read for placements, losses and growth. */
import type { StorageReport, VolumeReport } from '../contract'
import { compareText } from '../units'
import { daysUntilFull, growthPerDay, type UsedSample } from './growth'
import { type Loss, placeReplicas, type ReplicaOrder } from './replicas'

export const copyLabel = (at: { readonly node: string; readonly disk: string }): string =>
  `${at.node}/${at.disk}`

/** Disks that copies may stand on: those that answer. */
const answeringDisks = (storage: StorageReport) =>
  storage.disks.filter((disk) => disk.state !== 'lost')

const heldCopies = (storage: StorageReport, volume: VolumeReport) => {
  const labels = new Set(
    answeringDisks(storage).map(({ node, name }) => copyLabel({ node, disk: name })),
  )
  return volume.replicas.filter((copy) => copy.state !== 'gone' && labels.has(copyLabel(copy)))
}

/** Bytes promised to copies on a disk. */
export const plannedBytes = (
  storage: StorageReport,
  disk: { readonly node: string; readonly name: string },
): number =>
  storage.volumes.reduce(
    (sum, volume) =>
      sum +
      volume.bytes *
        volume.replicas.filter((copy) => copy.node === disk.node && copy.disk === disk.name).length,
    0,
  )

/** The storage as an order for placements: what stands stays; a disk being retired takes nothing. */
export function orderOf(storage: StorageReport): ReplicaOrder {
  const disks = answeringDisks(storage)
  const nodes = [...new Map(disks.map(({ node, zone }) => [node, zone]))].sort(([a], [b]) =>
    compareText(a, b),
  )
  return {
    nodes: nodes.map(([name, zone]) => ({
      name,
      zone,
      disks: disks
        .filter((disk) => disk.node === name)
        .map((disk) => ({
          name: disk.name,
          bytes: disk.bytes,
          scheduledBytes: plannedBytes(storage, disk),
          freeBytes: disk.state === 'retiring' ? 0 : disk.freeBytes,
        })),
    })),
    volumes: storage.volumes.map((volume) => ({
      name: volume.name,
      bytes: volume.bytes,
      usedBytes: volume.usedBytes,
      replicas: volume.copies,
      zones: volume.zones,
      on: heldCopies(storage, volume).map(({ node, disk }) => ({ node, disk })),
    })),
    settings: {
      plannedPercent: storage.plannedPercent,
      floorPercent: storage.floorPercent,
    },
    rebuild: storage.rebuild,
  }
}

/** What each disk, node and zone would cost, in that order. */
export const lossesOfStorage = (storage: StorageReport): readonly Loss[] =>
  placeReplicas(orderOf(storage)).losses

/** How a volume stands: as many copies whole as there are to be, fewer, or none left. */
export function volumeState(volume: VolumeReport): 'whole' | 'degraded' | 'lost' {
  const whole = volume.replicas.filter((copy) => copy.state === 'whole').length
  if (whole === 0) return 'lost'
  return whole >= volume.copies ? 'whole' : 'degraded'
}

export interface Growth {
  /** Bytes a day; null with too few samples. */
  readonly perDay: number | null
  /** Whole days until it is full; null if it does not grow. */
  readonly days: number | null
}

const samplesOf = (volume: VolumeReport): readonly UsedSample[] =>
  volume.samples.map(({ at, usedBytes }) => ({ at: Date.parse(at), usedBytes }))

/** How a volume fills up. */
export function growthOfVolume(volume: VolumeReport): Growth {
  const samples = samplesOf(volume)
  return { perDay: growthPerDay(samples), days: daysUntilFull(samples, volume.bytes) }
}
