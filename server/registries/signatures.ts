/**
 * Signatures of images: Ed25519 over the text of the image’s digest, kept as a manifest whose subject is the image, so that
 * any client finds it among the referrers. Who may sign is a list of keys; one that was withdrawn vouches for nothing any more.
 */
import {
  createHash,
  createPrivateKey,
  createPublicKey,
  type KeyObject,
  sign,
  verify,
} from 'node:crypto'
import type { Registry } from './registry'

export const signatureType = 'application/vnd.fernhollow.signature.v1'
const signatureAnnotation = 'example.fernhollow.signature'
const keyAnnotation = 'example.fernhollow.key'

export interface SigningKey {
  readonly name: string
  readonly id: string
  readonly publicKey: KeyObject
  /** When it was withdrawn, or null. */
  readonly withdrawn: string | null
}

/** PKCS #8 of an Ed25519 key before its 32 bytes (RFC 8410). */
const pkcs8 = Buffer.from('302e020100300506032b657004220420', 'hex')

/** The stand-in’s release desk signs with keys made from their names, so that the demo is the same everywhere. */
function keyOf(
  name: string,
  withdrawn: string | null,
): SigningKey & { readonly secret: KeyObject } {
  const seed = createHash('sha256').update(`signing key of the demo: ${name}`).digest()
  const secret = createPrivateKey({
    key: Buffer.concat([pkcs8, seed]),
    format: 'der',
    type: 'pkcs8',
  })
  const publicKey = createPublicKey(secret)
  const id = createHash('sha256')
    .update(publicKey.export({ format: 'der', type: 'spki' }))
    .digest('hex')
    .slice(0, 16)
  return { name, id, publicKey, withdrawn, secret }
}

const desk = keyOf('release-desk', null)
const oldDesk = keyOf('release-desk 2024', '2025-12-01T09:00:00Z')

/** The keys that signatures are held against. */
export const signingKeys: readonly SigningKey[] = [desk, oldDesk]

/** Images of the co-operative that are not signed, or with a key that no longer counts. */
const unsigned = new Set(['vision/seedling-vision:2'])
/** Images of others, which nobody here vouches for, are kept below this path. */
const ofOthers = 'outside/'
const signedLongAgo = new Set(['market/price-feed:2'])

const emptyBlob = '{}'
const emptyType = 'application/vnd.oci.empty.v1+json'
const digestOf = (text: string): string =>
  `sha256:${createHash('sha256').update(text).digest('hex')}`

export interface SignatureManifest {
  readonly body: string
  readonly digest: string
  readonly blobs: readonly { readonly digest: string; readonly body: string }[]
}

/** The signature of an image as a manifest (image-spec 1.1, “Guidelines for artifact usage”). */
function signatureOf(
  image: { readonly digest: string; readonly size: number },
  key: SigningKey & { readonly secret: KeyObject },
): SignatureManifest {
  const empty = { mediaType: emptyType, digest: digestOf(emptyBlob), size: emptyBlob.length }
  const body = JSON.stringify({
    schemaVersion: 2,
    mediaType: 'application/vnd.oci.image.manifest.v1+json',
    artifactType: signatureType,
    config: empty,
    layers: [empty],
    subject: { mediaType: 'application/vnd.oci.image.manifest.v1+json', ...image },
    annotations: {
      [keyAnnotation]: key.id,
      [signatureAnnotation]: sign(null, Buffer.from(image.digest), key.secret).toString('base64'),
    },
  })
  return { body, digest: digestOf(body), blobs: [{ digest: empty.digest, body: emptyBlob }] }
}

/** The signature that an image of the demo has, or null. */
export function firstSignature(image: {
  readonly name: string
  readonly digest: string
  readonly size: number
}): SignatureManifest | null {
  if (unsigned.has(image.name) || image.name.startsWith(ofOthers)) return null
  const { digest, size } = image
  return signatureOf({ digest, size }, signedLongAgo.has(image.name) ? oldDesk : desk)
}

/** The signature of the release desk for whatever it publishes besides images. */
export const deskSignature = (subject: {
  readonly digest: string
  readonly size: number
}): SignatureManifest => signatureOf(subject, desk)

/** Signs an image of a registry as the release desk; the digest of the signature. Null where the image is not there. */
export async function signIn(
  registry: Registry,
  repository: string,
  digest: string,
): Promise<string | null> {
  const held = (await registry.repository(repository))?.manifests.get(digest)
  if (!held) return null
  const signature = deskSignature({ digest, size: held.size })
  for (const blob of signature.blobs) {
    if (!(await registry.keeps(blob.digest)))
      await registry.keep(blob.digest, new TextEncoder().encode(blob.body))
    await registry.link([{ repository, digest: blob.digest }])
  }
  await registry.putManifest(
    repository,
    new TextEncoder().encode(signature.body),
    signature.digest,
    'application/vnd.oci.image.manifest.v1+json',
    null,
  )
  return signature.digest
}

export interface Vouched {
  /** Signed by a key that counts; by one that was withdrawn; by nobody known; not at all; or it does not verify. */
  readonly state: 'signed' | 'withdrawn' | 'unknown' | 'unsigned' | 'broken'
  readonly by: string | null
}

/** What the signatures of an image are worth: the best of them. */
export async function vouchedFor(
  registry: Registry,
  repository: string,
  digest: string,
): Promise<Vouched> {
  const held = await registry.repository(repository)
  const all = [...(held?.manifests.values() ?? [])].filter(
    (manifest) => manifest.subject === digest && manifest.artifactType === signatureType,
  )
  const rank = ['signed', 'withdrawn', 'unknown', 'broken', 'unsigned'] as const
  const judged = all.map(({ annotations }): Vouched => {
    const key = signingKeys.find((candidate) => candidate.id === annotations[keyAnnotation])
    if (!key) return { state: 'unknown', by: null }
    const signature = Buffer.from(annotations[signatureAnnotation] ?? '', 'base64')
    if (!verify(null, Buffer.from(digest), key.publicKey, signature))
      return { state: 'broken', by: key.name }
    return { state: key.withdrawn === null ? 'signed' : 'withdrawn', by: key.name }
  })
  return (
    judged.sort((a, b) => rank.indexOf(a.state) - rank.indexOf(b.state))[0] ?? {
      state: 'unsigned',
      by: null,
    }
  )
}
