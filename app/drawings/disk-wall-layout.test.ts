import { describe, expect, it } from 'vitest'
import { demoFleet } from '~/core/testing/demo-fleet'
import { layWall } from './disk-wall-layout'

const storage = demoFleet().clusters.find((cluster) => cluster.name === 'cedar')?.storage
if (!storage) throw new Error('cedar keeps volumes')

describe('the disk wall', () => {
  const wall = layWall(storage, 820, 400)

  it('has a column for each disk, by zone, none over another', () => {
    expect(wall.zones.map(({ name }) => name)).toEqual(['mossgate-a', 'mossgate-b', 'mossgate-c'])
    expect(wall.disks).toHaveLength(7)
    wall.disks.slice(1).forEach((disk, nth) => {
      const before = wall.disks[nth]
      expect(disk.x).toBeGreaterThanOrEqual((before?.x ?? 0) + (before?.width ?? 0))
    })
    expect(wall.width).toBeLessThanOrEqual(820)
  })

  it('draws disks and copies to one scale, from the bottom up', () => {
    const perByte = 400 / 1.2e12
    for (const disk of wall.disks) {
      expect(disk.height).toBeCloseTo(disk.bytes * perByte)
      expect(disk.floorHeight).toBeCloseTo(disk.height * 0.2)
      for (const block of disk.blocks) expect(block.height).toBeCloseTo(block.bytes * perByte)
      const lowest = disk.blocks[0]
      if (lowest) expect(lowest.y + lowest.height).toBeCloseTo(400)
      expect(Math.min(...disk.blocks.map((block) => block.y), 400)).toBeCloseTo(
        400 - disk.plannedBytes * perByte,
      )
    }
  })

  it('gets wider than its room rather than too narrow to be pressed', () => {
    const many = {
      ...storage,
      disks: Array.from({ length: 500 }, (_, nth) => ({
        node: `cedar-storage-${nth}`,
        zone: 'mossgate-a',
        name: 'bay-1',
        bytes: 1e12,
        freeBytes: 1e12,
        state: 'ready' as const,
      })),
      volumes: [],
    }
    const wide = layWall(many, 820, 400)
    expect(wide.width).toBeGreaterThan(820)
    expect(Math.min(...wide.disks.map((disk) => disk.width))).toBeGreaterThan(10)
  })
})
