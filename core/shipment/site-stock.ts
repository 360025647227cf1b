/** What a site has of what is published: what its clusters run whole, and what the registry that stands there holds. */
import type { FleetView, SiteView } from '../fleet'
import type { Published } from '../releases'
import { compareReleases } from '../units'

export interface SiteStock {
  /** The oldest release that a cluster of the site runs: from there every step is needed. */
  readonly release: string | null
  readonly addOns: Readonly<Record<string, string>>
  readonly digests: readonly string[]
}

/** Digests of the images that the clusters of a site run: of their releases, and of their add-ons. */
export function imagesRun(view: FleetView, published: Published, site: string): readonly string[] {
  const clusters = view.clusters.filter((cluster) => cluster.site === site)
  const releases = new Set(clusters.map((cluster) => cluster.release))
  const installed = new Set(
    clusters.flatMap((cluster) =>
      (cluster.addOns ?? []).map((addOn) => `${addOn.name} ${addOn.version}`),
    ),
  )
  return [
    ...published.releases
      .filter((release) => releases.has(release.version))
      .flatMap((release) => release.images),
    ...published.addOns.flatMap((addOn) =>
      addOn.channels.flatMap((channel) =>
        channel.versions
          .filter(({ version }) => installed.has(`${addOn.name} ${version}`))
          .flatMap((version) => version.images),
      ),
    ),
  ]
}

/** Whether a registry holds an image under its tag. */
function holds(registry: NonNullable<SiteView['registry']>, name: string): boolean {
  const colon = name.lastIndexOf(':')
  const repository = `${registry.host}/${name.slice(0, colon)}`
  return (
    Object.hasOwn(registry.images, repository) &&
    (registry.images[repository] ?? []).includes(name.slice(colon + 1))
  )
}

export function siteStock(view: FleetView, published: Published, name: string): SiteStock {
  const clusters = view.clusters.filter((cluster) => cluster.site === name)
  const [release = null] = clusters.map((cluster) => cluster.release).sort(compareReleases)
  const addOns: Record<string, string> = {}
  for (const addOn of clusters.flatMap((cluster) => cluster.addOns ?? [])) {
    const before = addOns[addOn.name]
    if (before === undefined || compareReleases(addOn.version, before) < 0)
      addOns[addOn.name] = addOn.version
  }
  const registry = view.sites.find((site) => site.name === name)?.registry
  const run = new Set(imagesRun(view, published, name))
  const digests = new Set<string>()
  for (const image of published.images) {
    if (!run.has(image.digest) && !(registry && holds(registry, image.name))) continue
    digests.add(image.digest)
    for (const layer of image.layers) digests.add(layer.digest)
  }
  return { release, addOns, digests: [...digests] }
}
