/**
 * Names, tags and digests as registries take them. Source: OCI Distribution Specification 1.1, “Pulling manifests”, and
 * OCI Image Specification 1.1, “Digests”.
 */

import { lookedFor, type Redirect } from '../contract'

const name = /^[a-z0-9]+(?:(?:\.|_|__|-+)[a-z0-9]+)*(?:\/[a-z0-9]+(?:(?:\.|_|__|-+)[a-z0-9]+)*)*$/
const tag = /^[a-zA-Z0-9_][a-zA-Z0-9._-]{0,127}$/
/** The algorithms that are registered, with the length of what follows (hexadecimal). */
const algorithms: Readonly<Record<string, number>> = { sha256: 64, sha512: 128 }
const longestName = 255

/** Whether a text names a repository, without the host before it. */
export const isRepository = (text: string): boolean => text.length <= longestName && name.test(text)

export const isTag = (text: string): boolean => tag.test(text)

/** Whether a text is a digest of a registered algorithm. */
export function isDigest(text: string): boolean {
  const colon = text.indexOf(':')
  const length = algorithms[text.slice(0, Math.max(0, colon))]
  const encoded = text.slice(colon + 1)
  return length !== undefined && encoded.length === length && /^[0-9a-f]+$/.test(encoded)
}

export interface Reference {
  /** Empty where it names none. */
  readonly host: string
  readonly repository: string
  readonly tag: string | null
  readonly digest: string | null
}

/** An image as registries list it, without their host: `repository:tag`; null where the name is none. */
export function listedAs(image: string): string | null {
  const reference = parseReference(image)
  return reference && `${reference.repository}:${reference.tag ?? 'latest'}`
}

/** How an image may be listed where nodes that are redirected look for it, the first place first. */
export const listedWhere = (
  redirects: readonly Redirect[] | undefined,
  image: string,
): readonly string[] => [
  ...new Set(lookedFor(redirects, image).flatMap((name) => listedAs(name) ?? [])),
]

/** `host/repository:tag@digest`, of which host, tag and digest may be missing; null where it is none. */
export function parseReference(text: string): Reference | null {
  const [before = '', digest = null, ...more] = text.split('@')
  if (more.length > 0 || (digest !== null && !isDigest(digest))) return null
  const slash = before.indexOf('/')
  const first = slash < 0 ? '' : before.slice(0, slash)
  const isHost = /[.:]/.test(first) || first === 'localhost'
  const host = isHost ? first : ''
  const path = isHost ? before.slice(slash + 1) : before
  const colon = path.indexOf(':', path.lastIndexOf('/') + 1)
  const repository = colon < 0 ? path : path.slice(0, colon)
  const written = colon < 0 ? null : path.slice(colon + 1)
  if (!isRepository(repository) || (written !== null && !isTag(written))) return null
  if (host !== '' && !/^[a-z0-9]([a-z0-9.-]*[a-z0-9])?(:\d{1,5})?$/i.test(host)) return null
  return { host, repository, tag: written, digest }
}
