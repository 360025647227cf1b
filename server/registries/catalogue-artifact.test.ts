/** The catalogue as it comes to a registry: read back whole, and worth nothing without a signature that holds. */
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterEach, beforeEach, expect, it } from 'vitest'
import type { Published } from '~/core/releases'
import {
  catalogueArtifact,
  catalogueRepository,
  catalogueTag,
  catalogueVouched,
  readCatalogue,
} from './catalogue-artifact'
import { readManifest, Registry } from './registry'

let dir: string
let registry: Registry
beforeEach(() => {
  dir = mkdtempSync(join(tmpdir(), 'gyrarch-catalogue-'))
  registry = new Registry('registry.kilnlane.example', dir, {
    images: async () => [],
    blob: async () => Promise.reject(new Error('nothing is here at first')),
  })
})
afterEach(() => rmSync(dir, { recursive: true, force: true }))

const published: Published = {
  releases: [
    { version: '1.31.9', images: ['sha256:a'] },
    { version: '1.32.6', withdrawn: 'the state store loses writes', images: [] },
  ],
  edges: [{ from: '1.31.9', to: '1.32.6' }],
  addOns: [
    {
      name: 'moss-mesh',
      channels: [
        {
          name: 'steady',
          versions: [{ version: '2.1.0', min: '1.30', max: null, replaces: [], images: [] }],
        },
      ],
    },
  ],
  images: [
    {
      digest: 'sha256:a',
      name: 'platform/api-server:1.31.9',
      bytes: 1,
      layers: [],
      signed: true,
      signedBy: 'release-desk',
    },
  ],
  desk: { media: [], link: { bytesPerSecond: 1, streamBytesPerSecond: 1, parallel: 1 } },
}

async function bring(parts: 'all' | 'no signature'): Promise<void> {
  const { manifests, blobs } = catalogueArtifact(published)
  const [catalogue, signature] = manifests.map(({ digest }) => String(digest))
  for (const { digest, bytes } of blobs) {
    const read = digest === catalogue || digest === signature ? readManifest(bytes) : null
    if (!read) await registry.keep(digest, Buffer.from(bytes))
    else if (digest === catalogue || parts === 'all')
      await registry.putManifest(
        catalogueRepository,
        bytes,
        digest,
        read.mediaType ?? '',
        digest === catalogue ? catalogueTag : null,
      )
  }
}

it('tells the far side releases, ways, withdrawals, add-ons and the names of images', async () => {
  expect(await readCatalogue(registry)).toBe(null)
  expect(await catalogueVouched(registry)).toBe('none')
  await bring('all')
  expect(await catalogueVouched(registry)).toBe('signed')
  const { releases, edges, addOns } = published
  expect(await readCatalogue(registry)).toEqual({
    releases,
    edges,
    addOns,
    images: [{ digest: 'sha256:a', name: 'platform/api-server:1.31.9' }],
  })
})

it('is not heeded where nobody vouches for it', async () => {
  await bring('no signature')
  expect(await catalogueVouched(registry)).toBe('unsigned')
  expect(await readCatalogue(registry)).toBe(null)
})
