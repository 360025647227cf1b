/** What a site has of the catalogue by what its clusters run: releases, add-ons, and with them every blob of both. */
import type { FleetView } from '~/core/fleet'
import { compareReleases } from '~/core/units'
import type { CatalogueContents } from './catalogue'

export interface SiteStock {
  /** The oldest release that a cluster of the site runs: from there every step is needed. */
  readonly release: string | null
  readonly addOns: Readonly<Record<string, string>>
  readonly digests: readonly string[]
}

export function siteStock(view: FleetView, catalogue: CatalogueContents, site: string): SiteStock {
  const clusters = view.clusters.filter((cluster) => cluster.site === site)
  const releases = [...new Set(clusters.map((cluster) => cluster.release))].sort(compareReleases)
  const addOns: Record<string, string> = {}
  for (const { name, version } of clusters.flatMap((cluster) => cluster.addOns ?? [])) {
    const before = addOns[name]
    if (before === undefined || compareReleases(version, before) < 0) addOns[name] = version
  }
  const images = new Set([
    ...catalogue.releases
      .filter((release) => releases.includes(release.version))
      .flatMap((release) => release.images),
    ...catalogue.addOns.flatMap((addOn) =>
      addOn.channels.flatMap((channel) =>
        channel.versions
          .filter(({ version }) =>
            clusters.some((cluster) =>
              cluster.addOns?.some(
                (installed) => installed.name === addOn.name && installed.version === version,
              ),
            ),
          )
          .flatMap((version) => version.images),
      ),
    ),
  ])
  const digests = new Set<string>()
  for (const image of catalogue.images) {
    if (!images.has(image.digest)) continue
    digests.add(image.digest)
    for (const layer of image.layers) digests.add(layer.digest)
  }
  return { release: releases[0] ?? null, addOns, digests: [...digests] }
}
