/** What registries list of what was there from the beginning, without anybody having made its bytes. */
import { beforeAll, describe, expect, it } from 'vitest'
import { gyrarchForAll, type Opened } from '../testing/open'
import { digestOfBytes, type Manifest, readManifest, type Registry } from './registry'

let opened: Opened
gyrarchForAll((made) => {
  opened = made
})

describe.each(['mossgate', 'kilnlane'])(
  'what the registry of %s holds at the beginning',
  (site) => {
    let registry: Registry
    let manifests: readonly Manifest[]
    beforeAll(async () => {
      const there = opened.gyrarch.registries.at(site)
      if (!there) throw new Error(`no registry stands at ${site}`)
      registry = there
      manifests = [...(await there.contents()).values()].flatMap((repository) => [
        ...repository.manifests.values(),
      ])
    })

    it('is listed as its manifest says, whose bytes have that digest', async () => {
      expect(manifests.length).toBeGreaterThan(10)
      for (const { digest, size, ...listed } of manifests) {
        const bytes = await registry.bytes(digest)
        if (!bytes) throw new Error(`${digest} has no bytes`)
        const { mediaType, artifactType, subject, annotations } = readManifest(bytes) ?? {}
        expect([digestOfBytes(bytes), bytes.length]).toEqual([digest, size])
        expect({ mediaType, artifactType, subject, annotations }).toEqual(listed)
      }
    })

    it('has every blob that a manifest names, and every signature what it signs', async () => {
      const held = await registry.contents()
      for (const [name, { blobs, manifests: inside }] of held)
        for (const { digest, subject } of inside.values()) {
          const bytes = await registry.bytes(digest)
          for (const blob of (bytes && readManifest(bytes))?.blobs ?? [])
            expect(blobs.has(blob), `${name} has ${blob}`).toBe(true)
          if (subject !== null) expect(inside.has(subject), `${name} has ${subject}`).toBe(true)
        }
    })
  },
)
