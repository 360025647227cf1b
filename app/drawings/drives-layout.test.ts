import { describe, expect, it } from 'vitest'
import { driveColumns } from './drives-layout'

const drives = [
  {
    medium: 'drive-64',
    capacity: 100,
    blobs: [
      { digest: 'a', bytes: 30, item: 'release 1.32.6' },
      { digest: 'b', bytes: 10, item: 'release 1.32.6' },
      { digest: 'c', bytes: 20, item: 'rainfall 1.1.1' },
    ],
  },
  { medium: 'drive-512', capacity: 200, blobs: [{ digest: 'd', bytes: 5, item: 'x' }] },
]

describe('drives as columns', () => {
  it('have heights by their capacity and are filled by what lies on them', () => {
    const [first, second] = driveColumns(drives, 200, 100)
    expect([first?.height, second?.height]).toEqual([0.5, 1])
    expect([first?.filled, first?.usedBytes, first?.count]).toEqual([0.6, 60, 3])
  })

  it('magnify each load: areas go by bytes, blobs lie in their item', () => {
    const items = driveColumns(drives, 200, 100)[0]?.items ?? []
    const area = (box: { width: number; height: number }): number => box.width * box.height
    const release = items.find((box) => box.item === 'release 1.32.6')
    const addOn = items.find((box) => box.item === 'rainfall 1.1.1')
    expect(
      area(release ?? { width: 0, height: 0 }) / area(addOn ?? { width: 1, height: 1 }),
    ).toBeCloseTo(2, 0)
    for (const blob of release?.blobs ?? []) {
      expect(blob.x).toBeGreaterThanOrEqual(release?.x ?? 0)
      expect(blob.y + blob.height).toBeLessThanOrEqual(
        (release?.y ?? 0) + (release?.height ?? 0) + 1e-6,
      )
    }
  })
})
