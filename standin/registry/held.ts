/** What registries hold, as whoever pulls from them finds it: tags with the digests that they stand for. */
import { z } from 'zod'
import { findingSeverities, lookedFor, registryAccess } from '../../core/contract'
import { imageParts, isPodOf } from '../cluster/manifests'
import type { Sim } from '../engine/sim'
import type { Cluster, Site, World } from '../world'

/** The registry that stands at a site: by its own name, else by the record of the name domain; null where none stands. */
export const registryOf = (site: Site): string | null =>
  site.registryHost ??
  (site.records.some((record) => record.name === 'registry') ? `registry.${site.nameDomain}` : null)

/** Where nodes of a new cluster look for images of others: in the registry inside their site, else in the one that keeps them. */
export const mirrorOf = (
  outside: World['outside'],
  site: Site | undefined,
): Pick<Cluster, 'redirects'> =>
  outside
    ? {
        redirects: [
          {
            from: outside.host,
            to: `${site?.registryHost ?? outside.registry}/${outside.below}`,
          },
        ],
      }
    : {}

/** The digest of an image in the registry that its name says; null where it is not there. */
export function heldDigest(world: World, image: string): string | null {
  const { repository, tag } = imageParts(image)
  const tags = world.images?.[repository]
  return tags && Object.hasOwn(tags, tag) ? (tags[tag] ?? null) : null
}

/** The repositories of a registry, each with the digests of its tags; one without any is gone. */
const told = z.object({
  host: z.string(),
  repositories: z.record(z.string(), z.record(z.string(), z.string())),
  /** All that is known of its images now. */
  judged: z
    .record(
      z.string(),
      z.object({ signed: z.boolean(), worst: z.enum(findingSeverities).nullable() }),
    )
    .optional(),
  access: registryAccess.optional(),
})

/** A container that runs keeps the digest that was pulled for it, whatever its tag stands for from now on. */
function keepPulled(sim: Sim, cluster: Cluster, moved: ReadonlyMap<string, string>): void {
  for (const workload of cluster.workloads) {
    const names = lookedFor(cluster.redirects, workload.image)
    const before = names.map((name) => moved.get(name)).find((digest) => digest !== undefined)
    if (before === undefined) continue
    for (const pod of cluster.running)
      if (isPodOf(pod, workload)) pod.pulled ??= { [workload.image]: before }
    sim.touchCluster(cluster.name)
  }
}

/**
 * A registry tells what some of its repositories hold from now on. The first time, digests made up before there was a
 * registry are replaced; later a tag that stands for another digest has moved.
 */
export function takeTold(sim: Sim, given: Readonly<Record<string, unknown>>): void {
  const { host, repositories, judged, access } = told.parse(given)
  const { world } = sim
  const images = { ...world.images }
  const moved = new Map<string, string>()
  const isFirst = !(world.told ?? []).includes(host)
  for (const [path, tags] of Object.entries(repositories)) {
    const repository = `${host}/${path}`
    for (const [tag, digest] of Object.entries(images[repository] ?? {}))
      if (!isFirst && tags[tag] !== digest) moved.set(`${repository}:${tag}`, digest)
    if (Object.keys(tags).length === 0) delete images[repository]
    else images[repository] = { ...tags }
  }
  world.images = images
  if (judged) world.judged = judged
  if (access) world.access = { ...world.access, [host]: access }
  world.told = [...new Set([...(world.told ?? []), host])]
  for (const cluster of Object.values(world.clusters))
    if (isFirst) sim.touchCluster(cluster.name)
    else keepPulled(sim, cluster, moved)
  for (const site of Object.values(world.sites))
    if (registryOf(site) === host) sim.touchSite(site.name)
}
