import { describe, expect, it } from 'vitest'
import { seeded } from '../units'
import { pack } from './packing'

interface Medium {
  readonly name: string
  readonly bytes: number
  readonly count?: number
}

const blobsOf = (sizes: readonly number[]) =>
  sizes.map((bytes, index) => ({ digest: `d${String(index).padStart(3, '0')}`, bytes }))

/** The fewest drives and the least capacity, by trying every partition of the blobs and every medium for each part. */
function tryEverything(sizes: readonly number[], media: readonly Medium[]) {
  let best: { drives: number; capacity: number } | null = null
  const better = (drives: number, capacity: number): boolean =>
    !best || drives < best.drives || (drives === best.drives && capacity < best.capacity)
  const assign = (loads: readonly number[], at: number, left: number[], capacity: number): void => {
    if (!better(loads.length, capacity)) return
    if (at === loads.length) {
      best = { drives: loads.length, capacity }
      return
    }
    for (const [index, medium] of media.entries()) {
      if ((left[index] ?? 0) === 0 || medium.bytes < (loads[at] ?? 0)) continue
      left[index] = (left[index] ?? 0) - 1
      assign(loads, at + 1, left, capacity + medium.bytes)
      left[index] = (left[index] ?? 0) + 1
    }
  }
  const part = (at: number, loads: number[]): void => {
    if (best && loads.length > best.drives) return
    if (at === sizes.length) {
      assign(
        loads,
        0,
        media.map((medium) => medium.count ?? 99),
        0,
      )
      return
    }
    const size = sizes[at] ?? 0
    for (const [index, load] of loads.entries()) {
      loads[index] = load + size
      part(at + 1, loads)
      loads[index] = load
    }
    loads.push(size)
    part(at + 1, loads)
    loads.pop()
  }
  part(0, [])
  return best as { drives: number; capacity: number } | null
}

function capacityOf(drives: ReturnType<typeof pack>['drives'], media: readonly Medium[]): number {
  return drives.reduce(
    (sum, drive) => sum + (media.find((medium) => medium.name === drive.medium)?.bytes ?? 0),
    0,
  )
}

function expectValid(
  packing: ReturnType<typeof pack>,
  sizes: readonly number[],
  media: readonly Medium[],
): void {
  const sizeOf = new Map(blobsOf(sizes).map((blob) => [blob.digest, blob.bytes]))
  const used = new Map<string, number>()
  for (const { medium, blobs } of packing.drives) {
    const room = media.find((candidate) => candidate.name === medium)?.bytes ?? -1
    expect(blobs.reduce((sum, digest) => sum + (sizeOf.get(digest) ?? 0), 0)).toBeLessThanOrEqual(
      room,
    )
    used.set(medium, (used.get(medium) ?? 0) + 1)
  }
  for (const { name, count } of media)
    expect(used.get(name) ?? 0).toBeLessThanOrEqual(count ?? Infinity)
  expect(packing.drives.flatMap((drive) => drive.blobs).sort()).toEqual(
    [...sizeOf.keys()].filter((digest) => !packing.unfit.includes(digest)),
  )
}

describe('drives', () => {
  it('are the fewest and smallest, as trying everything says', () => {
    const random = seeded(5)
    let short = 0
    for (let round = 0; round < 400; round += 1) {
      const largest = 20 + Math.floor(random() * 80)
      const media: Medium[] = [
        { name: 'wide', bytes: largest, ...(random() < 0.5 ? { count: 1 + (round % 3) } : {}) },
        { name: 'middle', bytes: Math.ceil(largest * 0.6), ...(round % 4 ? {} : { count: 2 }) },
        { name: 'small', bytes: Math.ceil(largest * 0.35), ...(round % 5 ? {} : { count: 1 }) },
      ].slice(0, 1 + (round % 3))
      const sizes = Array.from({ length: 3 + (round % 6) }, () =>
        Math.floor(random() * largest * (round % 2 ? 1 : 0.5)),
      )
      const packing = pack(blobsOf(sizes), media)
      const expected = tryEverything(sizes, media)
      expect(packing.suffices).toBe(expected !== null)
      if (!expected) {
        short += 1
        expect(packing.drives).toEqual([])
        continue
      }
      expectValid(packing, sizes, media)
      expect({
        drives: packing.drives.length,
        capacity: capacityOf(packing.drives, media),
      }).toEqual(expected)
      expect(packing.lowerBound).toBeLessThanOrEqual(packing.drives.length)
    }
    expect(short).toBeGreaterThan(20)
  })

  it('are found where 24 blobs fill them to the last byte', () => {
    const random = seeded(3)
    for (const drives of [2, 3, 4, 6, 8]) {
      const capacity = 1_000_000_007
      const sizes = Array.from({ length: drives }, () => {
        const cuts = Array.from(
          { length: 24 / drives - 1 },
          () => 1 + Math.floor(random() * (capacity - 1)),
        ).sort((a, b) => a - b)
        return [...cuts, capacity].map((cut, index) => cut - (cuts[index - 1] ?? 0))
      }).flat()
      const media = [
        { name: 'wide', bytes: capacity },
        { name: 'narrow', bytes: Math.floor(capacity * 0.7) },
      ]
      const packing = pack(blobsOf(sizes), media)
      expectValid(packing, sizes, media)
      expect(packing.drives).toHaveLength(drives)
    }
  })

  it('stay within a quarter and one of the lower bound where there are many blobs', () => {
    const random = seeded(9)
    for (let round = 0; round < 60; round += 1) {
      const low = random() * 0.5
      const sizes = Array.from({ length: 25 + round * 7 }, () =>
        Math.ceil(1000 * Math.min(1, low + random() * 0.5)),
      )
      const media = [
        { name: 'wide', bytes: 1000 },
        { name: 'narrow', bytes: 400 },
      ]
      const packing = pack(blobsOf(sizes), media)
      expectValid(packing, sizes, media)
      expect(packing.drives.length).toBeLessThanOrEqual(1.25 * packing.lowerBound + 1)
    }
  })

  it('leave out what no medium is large enough for', () => {
    const packing = pack(blobsOf([10, 90, 20]), [{ name: 'small', bytes: 30 }])
    expect(packing).toMatchObject({
      unfit: ['d001'],
      drives: [{ medium: 'small', blobs: ['d000', 'd002'] }],
      lowerBound: 1,
    })
  })

  it('have a lower bound above their volume where blobs are over half a drive', () => {
    const sizes = [60, 60, 60, 30, 30]
    expect(pack(blobsOf(sizes), [{ name: 'wide', bytes: 100 }]).lowerBound).toBe(3)
  })
})
