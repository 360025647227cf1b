import { describe, expect, it } from 'vitest'
import { layerContent } from './content'
import { releaseImages } from './published'

const layersOf = (version: string) =>
  new Map(
    releaseImages(version, 'fern-base')
      .filter((image) => !image.name.includes('fern-base'))
      .flatMap((image) => image.layers)
      .map((layer) => [layer.name, layer.bytes]),
  )
const sum = (sizes: Iterable<number>): number => [...sizes].reduce((all, size) => all + size, 0)
const sharedPart = (version: string, neighbour: string): number => {
  const [left, right] = [layersOf(version), layersOf(neighbour)]
  return (
    sum([...left].flatMap(([name, bytes]) => (right.has(name) ? bytes : []))) / sum(left.values())
  )
}

describe('the images of a release', () => {
  it.each(['1.24.9', '1.31.9', '1.33.2', '1.35.1'])('of %s are 14 of 5 to 7 layers', (version) => {
    const images = releaseImages(version, 'fern-base')
    expect(images).toHaveLength(15)
    for (const image of images.slice(0, 14)) {
      expect(image.layers.length).toBeGreaterThanOrEqual(5)
      expect(image.layers.length).toBeLessThanOrEqual(7)
    }
    expect(sum(layersOf(version).values())).toBeGreaterThan(3.15e9)
    expect(sum(layersOf(version).values())).toBeLessThan(4.15e9)
  })

  it('share some 60 % with the neighbouring patch and 25 % with the neighbouring minor', () => {
    expect(sharedPart('1.33.1', '1.33.2')).toBeCloseTo(0.6, 1)
    const neighbours = [24, 27, 29, 31, 33].map((minor) =>
      sharedPart(`1.${minor}.0`, `1.${minor + 1}.0`),
    )
    expect(sum(neighbours) / neighbours.length).toBeCloseTo(0.25, 1)
  })
})

describe('the bytes of a layer', () => {
  it('are a thousandth of its size in the catalogue, the same wherever they are made', () => {
    const bytes = layerContent('sluice/base/0', 12_345_678)
    expect(bytes).toHaveLength(12_346)
    expect(layerContent('sluice/base/0', 12_345_678)).toEqual(bytes)
    expect(layerContent('sluice/base/1', 12_345_678)).not.toEqual(bytes)
  })
})
