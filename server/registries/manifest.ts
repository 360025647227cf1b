/** Manifests and indexes as the OCI image specification has them, as far as a registry must understand them. */
import { z } from 'zod'

const emptyConfig = 'application/vnd.oci.empty.v1+json'

const descriptor = z.object({ digest: z.string(), mediaType: z.string().optional() })
const manifestBody = z.looseObject({
  mediaType: z.string().optional(),
  artifactType: z.string().optional(),
  config: descriptor.optional(),
  layers: z.array(descriptor).optional(),
  manifests: z.array(descriptor).optional(),
  subject: descriptor.optional(),
  annotations: z.record(z.string(), z.string()).optional(),
})

/** What a manifest refers to. */
export interface Read {
  readonly mediaType: string | undefined
  readonly artifactType: string | null
  readonly subject: string | null
  readonly annotations: Readonly<Record<string, string>>
  readonly blobs: readonly string[]
  readonly manifests: readonly string[]
}

/** What a registry lists of a manifest of that many bytes. */
export const listedOf = ({ artifactType, subject, annotations }: Read, size: number) => ({
  size,
  artifactType,
  subject,
  annotations,
})

/** Reads a manifest or index; null where it is none. */
export function readManifest(bytes: Uint8Array): Read | null {
  let body: unknown
  try {
    body = JSON.parse(new TextDecoder('utf-8', { fatal: true }).decode(bytes))
  } catch {
    return null
  }
  const read = manifestBody.safeParse(body)
  if (!read.success || (body as { schemaVersion?: unknown }).schemaVersion !== 2) return null
  const { mediaType, artifactType, config, layers, manifests, subject, annotations } = read.data
  return {
    mediaType,
    // An image’s own kind is that of its configuration (distribution-spec 1.1, “Listing referrers”).
    artifactType:
      artifactType ??
      (config?.mediaType === undefined || config.mediaType === emptyConfig
        ? null
        : config.mediaType),
    subject: subject?.digest ?? null,
    annotations: annotations ?? {},
    blobs: [...(config ? [config.digest] : []), ...(layers ?? []).map(({ digest }) => digest)],
    manifests: (manifests ?? []).map(({ digest }) => digest),
  }
}
