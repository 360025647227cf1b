/** Single images in a registry: vouched for, and their tags taken away and put back. */
import type { Registries } from '../registries/registries'
import { signIn } from '../registries/signatures'
import { said } from './says'

interface OfTag {
  readonly registry: string
  readonly repository: string
  readonly tag: string
  readonly digest: string
}

/** What was done, in words, with what it answers; or why not. */
export type TagDone =
  | { readonly told: ReturnType<typeof said>; readonly result: Readonly<Record<string, unknown>> }
  | { readonly reason: string; readonly failure: ReturnType<typeof said> }

const nameOf = ({ repository, tag }: OfTag): string => `${repository}:${tag}`

const noRegistry = (name: string): TagDone => ({
  reason: 'no-registry',
  failure: said('registry.unnamed', { registry: name }),
})

export async function signImage(registries: Registries, of: OfTag): Promise<TagDone> {
  const registry = registries.named(of.registry)
  if (!registry) return noRegistry(of.registry)
  const signature = await signIn(registry, of.repository, of.digest)
  if (signature === null)
    return { reason: 'no-image', failure: said('image.gone', { image: nameOf(of) }) }
  await registries.tell(registry)
  return { told: said('image.signed', { image: nameOf(of) }), result: { signature } }
}

export async function unsignImage(
  registries: Registries,
  of: OfTag & { readonly signature: string },
): Promise<TagDone> {
  const registry = registries.named(of.registry)
  if (!registry) return noRegistry(of.registry)
  await registry.dropManifest(of.repository, of.signature)
  await registries.tell(registry)
  return { told: said('image.unsigned', { image: nameOf(of) }), result: {} }
}

export async function untagImage(registries: Registries, of: OfTag): Promise<TagDone> {
  const registry = registries.named(of.registry)
  if (!registry) return noRegistry(of.registry)
  await registry.untag(of.repository, of.tag)
  await registries.tell(registry)
  return { told: said('image.untagged', { image: nameOf(of) }), result: {} }
}

export async function tagImage(registries: Registries, of: OfTag): Promise<TagDone> {
  const registry = registries.named(of.registry)
  if (!registry) return noRegistry(of.registry)
  await registry.tag(of.repository, of.tag, of.digest)
  await registries.tell(registry)
  return { told: said('image.tagged', { image: nameOf(of) }), result: {} }
}
