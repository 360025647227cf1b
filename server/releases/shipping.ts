/** A shipment to a site as it is chosen on a page: from the catalogue, what the site has, and the media at hand. */
import type { FleetView } from '~/core/fleet'
import { type Published, releasePath } from '~/core/releases'
import {
  type Medium,
  severities,
  type ShipmentChoice,
  type SiteStock,
  siteStock,
} from '~/core/shipment'
import { compareReleases } from '~/core/units'

export interface ShipmentAsked {
  readonly choice: ShipmentChoice & { readonly media: readonly Medium[] }
  readonly stock: SiteStock
  /** What the site could be asked to reach, newest first. */
  readonly releases: readonly string[]
}

/** Single images besides, by name with commas between; those that are not published are passed over. */
function imagesAsked(search: URLSearchParams, published: Published): readonly string[] {
  const names = new Set(published.images.map((image) => image.name))
  return (search.get('images') ?? '').split(',').filter((name) => names.has(name))
}

/** The number of a medium that is at hand, as it was asked or as the desk has it. */
function mediaAsked(search: URLSearchParams, published: Published): readonly Medium[] {
  return published.desk.media.map((medium) => {
    const text = search.get(`drives-${medium.name}`)
    return {
      ...medium,
      count: text === null || !/^\d{1,4}$/.test(text) ? (medium.count ?? 0) : Number(text),
    }
  })
}

/** The release that nobody asked for otherwise: of the oldest minor still supported the newest that can be reached. */
function usualRelease(
  view: FleetView,
  catalogue: Published,
  stock: SiteStock,
  releases: readonly string[],
): string | null {
  const today = view.now.slice(0, 10)
  const supported = view.catalogue
    .filter((release) => release.endOfSupport >= today && releases.includes(release.version))
    .map(({ version }) => version)
    .filter(
      (version) =>
        stock.release === null || releasePath(catalogue, stock.release, version).path !== null,
    )
  const minorOf = (version: string): number => Number(version.split('.')[1])
  const oldest = Math.min(...supported.map(minorOf))
  return (
    supported
      .filter((version) => minorOf(version) === oldest)
      .sort((a, b) => compareReleases(b, a))[0] ??
    releases[0] ??
    null
  )
}

/** What a page asks for by its address; what it leaves open is chosen as it usually is. Null without any site. */
export function shipmentAsked(
  search: URLSearchParams,
  view: FleetView,
  catalogue: Published,
): ShipmentAsked | null {
  // A site of a domain of its own is one that images are carried to.
  const alone = view.sites.find(
    (site) => view.sites.filter((candidate) => candidate.domain === site.domain).length === 1,
  )
  const site =
    view.sites.find((candidate) => candidate.name === search.get('site')) ?? alone ?? view.sites[0]
  if (!site) return null
  const stock = siteStock(view, catalogue, site.name)
  const releases = catalogue.releases
    .filter(
      ({ version, withdrawn }) =>
        withdrawn === undefined &&
        (stock.release === null || compareReleases(version, stock.release) >= 0),
    )
    .map(({ version }) => version)
    .reverse()
  const release =
    releases.find((version) => version === search.get('release')) ??
    usualRelease(view, catalogue, stock, releases)
  const channel =
    ['steady', 'early', 'none'].find((name) => name === search.get('channel')) ?? 'steady'
  return {
    choice: {
      site: site.name,
      release,
      channel: channel === 'none' ? null : channel,
      severity: severities.find((name) => name === search.get('severity')) ?? null,
      holdUnsigned: search.get('unsigned') !== 'taken',
      images: imagesAsked(search, catalogue),
      media: mediaAsked(search, catalogue),
    },
    stock,
    releases,
  }
}
