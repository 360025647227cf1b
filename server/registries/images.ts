/** What a registry holds as people ask for it: tags with their digests, layers and signatures, and where each runs. */
import { z } from 'zod'
import { type ApiObject, isOfKind, list, record } from '~/core/objects'
import type { Redirect } from '~/core/contract'
import type { ClusterView } from '~/core/fleet'
import { listedWhere } from '~/core/registry'
import { compareText } from '~/core/units'
import { breath } from '../breath'
import { catalogueBytes } from '../connectors/standin/published'
import type { Registry, Repository } from './registry'
import { findingsIn, type ImageFinding } from './scanner'
import { type Vouched, vouchedFor } from './signatures'

export interface Running {
  readonly cluster: string
  /** `namespace/name` of a pod’s workload, as its label says, else of the pod. */
  readonly workload: string
  readonly pods: number
  /** How many of them run another digest: the tag has moved since they pulled it. */
  readonly moved: number
}

export interface RegistryImage {
  readonly repository: string
  readonly tag: string
  readonly digest: string
  /** The sum of its layers in the sizes of the catalogue, and the bytes that are really kept. */
  readonly bytes: number
  readonly keptBytes: number
  readonly layers: readonly { readonly digest: string; readonly bytes: number }[]
  readonly signature: Vouched
  /** What the scanner finds in it, the gravest first. */
  readonly findings: readonly ImageFinding[]
  readonly runs: readonly Running[]
}

const manifestLayers = z.looseObject({
  layers: z.array(
    z.object({
      digest: z.string(),
      size: z.number(),
      annotations: z.record(z.string(), z.string()).optional(),
    }),
  ),
})

/** The layers of a manifest, in the sizes of the catalogue where it tells them. */
async function layersOf(registry: Registry, digest: string) {
  const bytes = await registry.bytes(digest)
  const read = manifestLayers.safeParse(bytes ? JSON.parse(new TextDecoder().decode(bytes)) : null)
  return read.success
    ? read.data.layers.map((layer) => ({
        digest: layer.digest,
        bytes: Number(layer.annotations?.[catalogueBytes] ?? layer.size),
        kept: layer.size,
      }))
    : []
}

/** The tagged images of one repository, by tag, with what is found in them by a time (ms). */
export async function imagesIn(
  registry: Registry,
  name: string,
  repository: Repository,
  runs: Runs,
  now: number,
): Promise<readonly RegistryImage[]> {
  const images = await Promise.all(
    [...repository.tags].map(async ([tag, digest]): Promise<RegistryImage> => {
      const layers = await layersOf(registry, digest)
      return {
        repository: name,
        tag,
        digest,
        bytes: layers.reduce((sum, layer) => sum + layer.bytes, 0),
        keptBytes: layers.reduce((sum, layer) => sum + layer.kept, 0),
        layers: layers.map((layer) => ({ digest: layer.digest, bytes: layer.bytes })),
        signature: await vouchedFor(registry, name, digest),
        findings: findingsIn(
          layers.map((layer) => layer.digest),
          now,
        ),
        runs: runningOf(runs, `${name}:${tag}`, digest),
      }
    }),
  )
  return images.sort((a, b) => compareText(a.tag, b.tag))
}

/** By `repository:tag` the workloads that run it, with how many pods run which digest. */
type Users = ReadonlyMap<string, ReadonlyMap<string, number>>

const read = new WeakMap<readonly ApiObject[], ReadonlyMap<string, Users>>()

/** The digest that a container was started from, as its status tells it; empty where it does not. */
const pulledDigest = (imageId: string): string => imageId.slice(imageId.indexOf('@') + 1)

/** What the pods of a cluster run; read once for each list of objects. */
function runningIn(
  objects: readonly ApiObject[],
  redirects: readonly Redirect[] | undefined,
): ReadonlyMap<string, Users> {
  const before = read.get(objects)
  if (before) return before
  const images = new Map<string, Map<string, Map<string, number>>>()
  for (const pod of objects) {
    if (!isOfKind(pod, 'Pod')) continue
    const namespace = pod.metadata.namespace ?? 'default'
    const workload = `${namespace}/${pod.metadata.labels?.['app'] ?? pod.metadata.name}`
    const statuses = list(record(record(pod)['status'])['containerStatuses']).map(record)
    for (const image of new Set((pod.spec?.containers ?? []).map((container) => container.image))) {
      const digest = pulledDigest(
        String(statuses.find((status) => status['image'] === image)?.['imageID'] ?? ''),
      )
      for (const name of listedWhere(redirects, image ?? '')) {
        const users = images.get(name) ?? new Map<string, Map<string, number>>()
        const digests = users.get(workload) ?? new Map<string, number>()
        digests.set(digest, (digests.get(digest) ?? 0) + 1)
        users.set(workload, digests)
        images.set(name, users)
      }
    }
  }
  read.set(objects, images)
  return images
}

/** Who runs what: by cluster. */
export type Runs = ReadonlyMap<string, ReadonlyMap<string, Users>>

/** Who runs an image, and who runs another under its tag. */
export function runningOf(runs: Runs, image: string, digest: string): readonly Running[] {
  return [...runs].flatMap(([cluster, images]) =>
    [...(images.get(image) ?? [])].map(([workload, digests]): Running => {
      const counts = [...digests]
      return {
        cluster,
        workload,
        pods: counts.reduce((sum, [, pods]) => sum + pods, 0),
        moved: counts.reduce(
          (sum, [pulled, pods]) => sum + (pulled !== '' && pulled !== digest ? pods : 0),
          0,
        ),
      }
    }),
  )
}

/** Who runs what, over all the clusters given that answer. */
export async function runningImages(
  clusters: readonly Pick<ClusterView, 'name' | 'apiAnswers' | 'redirects'>[],
  objectsOf: (cluster: string) => Promise<readonly ApiObject[] | null>,
): Promise<Runs> {
  const all = new Map<string, ReadonlyMap<string, Users>>()
  for (const { name, apiAnswers, redirects } of clusters) {
    const objects = apiAnswers ? await objectsOf(name) : null
    if (objects) all.set(name, runningIn(objects, redirects))
    await breath()
  }
  return all
}
