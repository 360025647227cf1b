/** What a registry holds as people ask for it: tags with their digests, layers and signatures, and where each runs. */
import { z } from 'zod'
import { type ApiObject, isPodObject } from '~/core/objects'
import { parseReference } from '~/core/registry'
import { compareText } from '~/core/units'
import { breath } from '../breath'
import { catalogueBytes } from '../connectors/standin/published'
import type { Registry, Repository } from './registry'
import { type Vouched, vouchedFor } from './signatures'

export interface Running {
  readonly cluster: string
  /** `namespace/name` of a pod’s workload, as its label says, else of the pod. */
  readonly workload: string
  readonly pods: number
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

/** The tagged images of one repository, by tag; `runs` gives who runs an image by `repository:tag`. */
export async function imagesIn(
  registry: Registry,
  name: string,
  repository: Repository,
  runs: ReadonlyMap<string, readonly Running[]>,
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
        runs: runs.get(`${name}:${tag}`) ?? [],
      }
    }),
  )
  return images.sort((a, b) => compareText(a.tag, b.tag))
}

const read = new WeakMap<readonly ApiObject[], ReadonlyMap<string, ReadonlyMap<string, number>>>()

/** By `repository:tag` the workloads of a cluster that run it, with how many pods; read once for each list of objects. */
function runningIn(
  objects: readonly ApiObject[],
): ReadonlyMap<string, ReadonlyMap<string, number>> {
  const before = read.get(objects)
  if (before) return before
  const images = new Map<string, Map<string, number>>()
  for (const pod of objects) {
    if (!isPodObject(pod)) continue
    const namespace = pod.metadata.namespace ?? 'default'
    const workload = `${namespace}/${pod.metadata.labels?.['app'] ?? pod.metadata.name}`
    for (const image of new Set((pod.spec?.containers ?? []).map((container) => container.image))) {
      const reference = parseReference(image ?? '')
      if (!reference) continue
      const key = `${reference.repository}:${reference.tag ?? 'latest'}`
      const users = images.get(key) ?? new Map<string, number>()
      users.set(workload, (users.get(workload) ?? 0) + 1)
      images.set(key, users)
    }
  }
  read.set(objects, images)
  return images
}

/** Who runs what, over all the clusters given. */
export async function runningImages(
  clusters: readonly string[],
  objectsOf: (cluster: string) => Promise<readonly ApiObject[] | null>,
): Promise<ReadonlyMap<string, readonly Running[]>> {
  const all = new Map<string, Running[]>()
  for (const cluster of clusters) {
    const objects = await objectsOf(cluster)
    for (const [image, users] of objects ? runningIn(objects) : [])
      for (const [workload, pods] of users) {
        const running = all.get(image) ?? []
        running.push({ cluster, workload, pods })
        all.set(image, running)
      }
    await breath()
  }
  return all
}
