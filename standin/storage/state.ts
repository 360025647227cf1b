/** Replicated storage as the simulator keeps it: disks of nodes, volumes with their copies, and what is being copied. */

/** Where the process that keeps copies listens (TCP). */
export const copyPort = 9503

export type Zones = 'required' | 'preferred' | 'any'

export interface StoreDisk {
  readonly node: string
  readonly name: string
  readonly bytes: number
  /** Taken by what is no copy: the system, logs. */
  readonly otherBytes: number
  retiring?: boolean
  /** Does not answer any more. */
  lost?: boolean
  /** Filled up by something that is no copy. */
  full?: boolean
  /** Times as long as usual that it takes; absent is 1. */
  slowness?: number
}

export interface Copy {
  readonly node: string
  readonly disk: string
  /** Whether it holds everything. */
  whole: boolean
  since: number
  /** Its disk or node does not answer. */
  gone?: { readonly since: number; readonly reason: string }
  /** Is given up once the others are whole without it. */
  leaving?: boolean
  /** What fills it, while something does. */
  filling?: { readonly from: string; readonly startedAt: number; readonly endsAt: number }
}

export interface StoredSnapshot {
  readonly name: string
  readonly at: number
  readonly usedBytes: number
}

export interface StoredVolume {
  readonly name: string
  /** `namespace/name` of its claim. */
  readonly claim: string | null
  readonly class: string
  bytes: number
  copies: number
  readonly zones: Zones
  /** Used bytes from a time on, growing evenly from there; the last that has begun counts. */
  levels: readonly { readonly at: number; readonly usedBytes: number }[]
  readonly perDayBytes: number
  replicas: Copy[]
  snapshots: readonly StoredSnapshot[]
}

export interface StorageNetwork {
  readonly name: string
  /** What one copy gets of it. */
  readonly bytesPerSecond: number
  readonly links: readonly {
    readonly node: string
    readonly address: string
    readonly mtu: number
  }[]
}

export interface Storage {
  readonly addOn: string
  readonly plannedPercent: number
  readonly floorPercent: number
  readonly atOnce: number
  readonly attachLimit: number
  classes: readonly {
    readonly name: string
    readonly copies: number
    readonly zones: Zones
  }[]
  /** The network it was told to use, by name. */
  network: string
  networks: readonly StorageNetwork[]
  /** The network on which each node’s process listens. */
  listens: Readonly<Record<string, string>>
  disks: StoreDisk[]
  volumes: StoredVolume[]
  /** When it looks at itself next (ms). */
  wakeAt?: number
}

/** The driver that makes and attaches its volumes. */
export const driverOf = (storage: Storage): string => `${storage.addOn}.fernhollow.example`

const hourMs = 3_600_000
const dayMs = 86_400_000

/** What a volume holds at a time, told to the hour. */
export function usedAt(volume: StoredVolume, at: number): number {
  const first = volume.levels[0]
  if (!first) return 0
  const level = volume.levels.findLast((candidate) => candidate.at <= at) ?? first
  const hours = Math.floor((at - level.at) / hourMs)
  const used = level.usedBytes + Math.round((volume.perDayBytes * hours * hourMs) / dayMs)
  return Math.max(0, Math.min(volume.bytes, used))
}

/** How often a cluster tells anew how full its volumes are, at full hours (ms). */
export const tellMs = 6 * hourMs

/** What a volume is told to hold: as of the last telling, or of what was put back since. */
export function toldUsed(volume: StoredVolume, now: number): number {
  const told = Math.floor(now / tellMs) * tellMs
  return usedAt(volume, Math.max(told, volume.levels.at(-1)?.at ?? told))
}

export const isAlive = (copy: Copy): boolean => copy.gone === undefined
export const isOn = (copy: Copy, disk: StoreDisk): boolean =>
  copy.node === disk.node && copy.disk === disk.name

export const diskOf = (storage: Storage, copy: Copy): StoreDisk | undefined =>
  storage.disks.find((disk) => isOn(copy, disk))

/** Bytes promised to copies on a disk. */
export const plannedOn = (storage: Storage, disk: StoreDisk): number =>
  storage.volumes.reduce(
    (sum, volume) => sum + volume.bytes * volume.replicas.filter((copy) => isOn(copy, disk)).length,
    0,
  )

/** Bytes that are free on a disk at a time, by what each volume holds then. */
export function freeOn(
  storage: Storage,
  disk: StoreDisk,
  at: number,
  holds: (volume: StoredVolume, at: number) => number = usedAt,
): number {
  if (disk.full === true) return 0
  const used = storage.volumes.reduce(
    (sum, volume) =>
      sum + (volume.replicas.some((copy) => isOn(copy, disk)) ? holds(volume, at) : 0),
    0,
  )
  return Math.max(0, disk.bytes - disk.otherBytes - used)
}
