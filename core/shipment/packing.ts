/**
 * Blobs on drives: exactly up to 24 of them, past that by first fit and by best fit over the largest drives, the better of
 * which is kept; then each drive is exchanged for the smallest that still holds its load. O(blobs × log drives).
 */
import { compareText } from '../units'
import type { Medium } from './catalogue'
import type { Blob } from './closure'
import { exactUpTo, packExactly, type PackedDrive } from './exact-packing'
import { type DriveSize, driveSizes, lowerBound } from './lower-bound'

export interface Drive {
  readonly medium: string
  /** Digests. */
  readonly blobs: readonly string[]
}

export interface Packing {
  readonly drives: readonly Drive[]
  readonly lowerBound: number
  /** Digests of blobs that no medium is large enough for. */
  readonly unfit: readonly string[]
  /** Whether the media at hand suffice for all that fits one. */
  readonly suffices: boolean
}

interface OpenDrive {
  size: number
  room: number
  readonly blobs: number[]
}

/** The first drives in the order of their rooms that hold a blob: a tree of the greatest room below each knot. */
class Rooms {
  private leaves = 64
  private tree = new Float64Array(128).fill(-1)

  set(index: number, room: number): void {
    while (index >= this.leaves) this.grow()
    let at = this.leaves + index
    this.tree[at] = room
    for (at >>= 1; at > 0; at >>= 1)
      this.tree[at] = Math.max(this.tree[2 * at] ?? -1, this.tree[2 * at + 1] ?? -1)
  }

  /** The first index whose room is at least `bytes`, or -1. */
  first(bytes: number): number {
    if ((this.tree[1] ?? -1) < bytes) return -1
    let at = 1
    while (at < this.leaves) at = (this.tree[2 * at] ?? -1) >= bytes ? 2 * at : 2 * at + 1
    return at - this.leaves
  }

  private grow(): void {
    const rooms = this.tree.slice(this.leaves)
    this.leaves *= 2
    this.tree = new Float64Array(2 * this.leaves).fill(-1)
    for (const [index, room] of rooms.entries()) if (room >= 0) this.set(index, room)
  }
}

/** The sizes of drives in the order they are opened: the largest first, as many as there are of each. */
class Supply {
  private size = 0
  private used = 0
  private readonly sizes: readonly DriveSize[]

  constructor(sizes: readonly DriveSize[]) {
    this.sizes = sizes
  }

  /** The next drive, which holds a blob of `bytes`; null where none is left. */
  open(bytes: number): OpenDrive | null {
    while (this.used >= (this.sizes[this.size]?.count ?? Infinity)) {
      this.size += 1
      this.used = 0
    }
    const room = this.sizes[this.size]?.bytes
    if (room === undefined || room < bytes) return null
    this.used += 1
    return { size: this.size, room, blobs: [] }
  }
}

/** Each blob on the first drive with room for it, the largest blobs first. */
function firstFit(blobs: readonly number[], sizes: readonly DriveSize[]): OpenDrive[] | null {
  const supply = new Supply(sizes)
  const rooms = new Rooms()
  const drives: OpenDrive[] = []
  for (const [index, bytes] of blobs.entries()) {
    const at = rooms.first(bytes)
    const drive = drives[at] ?? supply.open(bytes)
    if (!drive) return null
    if (at < 0) drives.push(drive)
    drive.blobs.push(index)
    drive.room -= bytes
    rooms.set(at < 0 ? drives.length - 1 : at, drive.room)
  }
  return drives
}

/** Each blob on the drive that it leaves the least room on. Quadratic in the drives: for few of them. */
function bestFit(blobs: readonly number[], sizes: readonly DriveSize[]): OpenDrive[] | null {
  const supply = new Supply(sizes)
  const drives: OpenDrive[] = []
  for (const [index, bytes] of blobs.entries()) {
    let tightest: OpenDrive | null = null
    for (const drive of drives)
      if (drive.room >= bytes && (!tightest || drive.room < tightest.room)) tightest = drive
    const drive = tightest ?? supply.open(bytes)
    if (!drive) return null
    if (!tightest) drives.push(drive)
    drive.blobs.push(index)
    drive.room -= bytes
  }
  return drives
}

/**
 * Drive after drive is filled as far as it goes: the largest blob left, then of those that follow the ones that leave
 * least room, looked for over at most `tries` loads. Good where blobs are few to a drive.
 */
function fullestFirst(
  blobs: readonly number[],
  sizes: readonly DriveSize[],
  tries = 4000,
): OpenDrive[] | null {
  const supply = new Supply(sizes)
  const drives: OpenDrive[] = []
  let left = blobs.map((_, index) => index)
  while (left.length > 0) {
    const [largest = 0, ...following] = left
    const drive = supply.open(blobs[largest] ?? 0)
    if (!drive) return null
    const load = fullestLoad(blobs, following, drive.room - (blobs[largest] ?? 0), tries)
    const taken = new Set([largest, ...load])
    drive.blobs.push(...taken)
    for (const index of taken) drive.room -= blobs[index] ?? 0
    drives.push(drive)
    left = left.filter((index) => !taken.has(index))
  }
  return drives
}

/** The blobs of `candidates` that leave least of `room`, as far as so many tries find them. */
function fullestLoad(
  blobs: readonly number[],
  candidates: readonly number[],
  room: number,
  tries: number,
): readonly number[] {
  let best: readonly number[] = []
  let bestRoom = room
  let triesLeft = tries
  const load: number[] = []
  const search = (from: number, roomLeft: number): void => {
    if (roomLeft < bestRoom) {
      bestRoom = roomLeft
      best = [...load]
    }
    for (let at = from; at < candidates.length; at += 1) {
      if (bestRoom === 0 || triesLeft <= 0) return
      const index = candidates[at] ?? 0
      const bytes = blobs[index] ?? 0
      if (bytes > roomLeft) continue
      triesLeft -= 1
      load.push(index)
      search(at + 1, roomLeft - bytes)
      load.pop()
    }
  }
  search(0, room)
  return best
}

/** Exchanges each drive, the fullest first, for the smallest at hand that holds its load. */
function exchanged(
  drives: readonly OpenDrive[],
  blobs: readonly number[],
  sizes: readonly DriveSize[],
): readonly PackedDrive[] {
  const left = sizes.map(({ count }) => count)
  const loadOf = (drive: OpenDrive): number =>
    drive.blobs.reduce((sum, index) => sum + (blobs[index] ?? 0), 0)
  return drives
    .map((drive) => ({ drive, load: loadOf(drive) }))
    .sort((a, b) => b.load - a.load)
    .map(({ drive, load }) => {
      let size = sizes.length - 1
      while (size > 0 && ((left[size] ?? 0) === 0 || (sizes[size]?.bytes ?? 0) < load)) size -= 1
      left[size] = (left[size] ?? 0) - 1
      return { size, blobs: drive.blobs }
    })
}

/** The fewest drives of several ways of filling them; null where none of them gets everything on. */
function packNearly(
  blobs: readonly number[],
  sizes: readonly DriveSize[],
  atLeast: number,
): readonly PackedDrive[] | null {
  const few = 2000
  const fillings = [
    () => firstFit(blobs, sizes),
    () => (blobs.length <= 20_000 ? bestFit(blobs, sizes) : null),
    () => (blobs.length <= few ? fullestFirst(blobs, sizes) : null),
  ]
  let fewest: readonly OpenDrive[] | null = null
  for (const fill of fillings) {
    if (fewest && fewest.length <= atLeast) break
    const drives = fill()
    if (drives && (!fewest || drives.length < fewest.length)) fewest = drives
  }
  return fewest ? exchanged(fewest, blobs, sizes) : null
}

/** Packs blobs on the media at hand. Drives come by medium and first digest, the blobs of each by digest. */
export function pack(blobs: readonly Blob[], media: readonly Medium[]): Packing {
  const sizes = driveSizes(media)
  const largest = sizes[0]?.bytes ?? 0
  const fitting = blobs
    .filter((blob) => blob.bytes <= largest && sizes.length > 0)
    .sort((a, b) => b.bytes - a.bytes || compareText(a.digest, b.digest))
  const bytes = fitting.map((blob) => blob.bytes)
  const atLeast = lowerBound(bytes, sizes)
  const packed =
    fitting.length <= exactUpTo
      ? packExactly(bytes, sizes, atLeast)
      : packNearly(bytes, sizes, atLeast)
  const drives = (packed ?? []).map((drive) => ({
    medium: sizes[drive.size]?.name ?? '',
    blobs: drive.blobs.map((index) => fitting[index]?.digest ?? '').sort(compareText),
  }))
  return {
    drives: drives.sort(
      (a, b) => compareText(a.medium, b.medium) || compareText(a.blobs[0] ?? '', b.blobs[0] ?? ''),
    ),
    lowerBound: atLeast,
    unfit: blobs
      .filter((blob) => blob.bytes > largest || sizes.length === 0)
      .map((blob) => blob.digest)
      .sort(compareText),
    suffices: packed !== null,
  }
}
