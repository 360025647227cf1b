/** The stand-in’s teams: what they push to the registry of the joined sites in the course of the days. */
import { parse } from 'yaml'
import { z } from 'zod'
import pushes from '~/demo/pushes.yaml?raw'
import { catalogueImage, ownImage, publishedBlob } from '../connectors/standin/published'
import type { Registry } from './registry'
import { signIn, vouchedFor } from './signatures'

const listed = z
  .object({
    pushes: z.array(
      z.object({
        at: z.iso.datetime(),
        repository: z.string(),
        tag: z.string(),
        build: z.string(),
      }),
    ),
  })
  .parse(parse(pushes)).pushes

const manifestType = 'application/vnd.oci.image.manifest.v1+json'

/** The first time (ms) after another at which somebody pushes; infinite where nobody will. */
export const nextPush = (after: number): number =>
  Math.min(...listed.map(({ at }) => Date.parse(at)).filter((at) => at > after), Infinity)

/** Pushes what is due by a time (ms) and is not there yet, signed as all that the release desk lets out. */
export async function pushDue(registry: Registry, now: number): Promise<void> {
  for (const { at, repository, tag, build } of listed) {
    if (Date.parse(at) > now) continue
    const image = catalogueImage({
      ...ownImage(repository, build),
      name: `${repository}:${tag}`,
    })
    // The signature comes last: with it the push is whole.
    if ((await vouchedFor(registry, repository, image.digest)).state === 'signed') continue
    for (const { digest } of image.layers) {
      const bytes = publishedBlob(digest)
      if (bytes && !(await registry.keeps(digest))) await registry.keep(digest, bytes)
    }
    await registry.link(image.layers.map(({ digest }) => ({ repository, digest })))
    const manifest = publishedBlob(image.digest)
    if (!manifest) throw new Error(`nobody made ${repository}:${tag}`)
    await registry.putManifest(repository, manifest, image.digest, manifestType, tag)
    await signIn(registry, repository, image.digest)
  }
}
