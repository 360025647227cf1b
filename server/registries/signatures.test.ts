import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, describe, expect, it } from 'vitest'
import { catalogueImage, ownImage, publishedBlob } from '../connectors/standin/published'
import { firstBlob, firstImages } from './first'
import { imagesIn, runningImages } from './images'
import { digestOfBytes, Registry } from './registry'
import { firstSignature, signatureType, vouchedFor } from './signatures'

const dir = mkdtempSync(join(tmpdir(), 'gyrarch-signatures-'))
afterAll(() => rmSync(dir, { recursive: true, force: true }))

const own = [
  { repository: 'market/price-feed', tag: '1' },
  { repository: 'market/price-feed', tag: '2' },
  { repository: 'vision/seedling-vision', tag: '2' },
]
const nothing = { blob: async () => Promise.reject(new Error('not in the catalogue')) }
const registry = new Registry('registry.fernhollow.example', dir, {
  images: async () => firstImages([], own),
  blob: (digest) => firstBlob(nothing as never, digest),
})

const vouched = async (repository: string, tag: string) => {
  const held = await registry.repository(repository)
  return vouchedFor(registry, repository, held?.tags.get(tag) ?? '')
}

describe('signatures', () => {
  it('are by the release desk, with a key that counts or one that was withdrawn, or missing', async () => {
    expect(await vouched('market/price-feed', '1')).toEqual({ state: 'signed', by: 'release-desk' })
    expect((await vouched('market/price-feed', '2')).state).toBe('withdrawn')
    expect(await vouched('vision/seedling-vision', '2')).toEqual({ state: 'unsigned', by: null })
  })

  it('of another image do not hold for this one', async () => {
    const image = catalogueImage(ownImage('seed/forged', '1'))
    const signature = firstSignature({ name: image.name, digest: image.digest, size: image.bytes })
    const neighbour = catalogueImage(ownImage('seed/other', '1'))
    const forged = new TextEncoder().encode(
      (signature?.body ?? '').replaceAll(image.digest, neighbour.digest),
    )
    await registry.putManifest(
      'seed/other',
      publishedBlob(neighbour.digest) ?? new Uint8Array(),
      neighbour.digest,
      'application/vnd.oci.image.manifest.v1+json',
      '1',
    )
    await registry.putManifest(
      'seed/other',
      forged,
      digestOfBytes(forged),
      'application/vnd.oci.image.manifest.v1+json',
      null,
    )
    expect(await vouched('seed/other', '1')).toEqual({ state: 'broken', by: 'release-desk' })
  })

  it('are found among the referrers of the image, by their kind', async () => {
    const held = await registry.repository('market/price-feed')
    const kinds = [...(held?.manifests.values() ?? [])].map(({ artifactType }) => artifactType)
    expect(kinds.filter((kind) => kind === signatureType)).toHaveLength(2)
  })
})

describe('images of a repository', () => {
  it('tell layers in the sizes of the catalogue and of what is kept, and who runs them', async () => {
    const held = await registry.repository('market/price-feed')
    const runs = await runningImages([{ name: 'bramble', apiAnswers: true }], async () => [
      {
        apiVersion: 'v1',
        kind: 'Pod',
        metadata: { name: 'price-feed-x', namespace: 'market', labels: { app: 'price-feed' } },
        spec: {
          containers: [{ name: 'c', image: 'registry.fernhollow.example/market/price-feed:2' }],
        },
      },
    ])
    const images = held ? await imagesIn(registry, 'market/price-feed', held, runs, 0) : []
    expect(images.map(({ tag, runs: users }) => [tag, users])).toEqual([
      ['1', []],
      ['2', [{ cluster: 'bramble', workload: 'market/price-feed', pods: 1, moved: 0 }]],
    ])
    for (const image of images) {
      expect(image.bytes / image.keptBytes).toBeCloseTo(1000, 0)
      expect(image.layers).toHaveLength(5)
    }
    const shared = images[0]?.layers.filter((layer) =>
      images[1]?.layers.some(({ digest }) => digest === layer.digest),
    )
    expect(shared).toHaveLength(3)
  })
})
