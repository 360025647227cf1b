/** A shipment to a site as it is chosen on a page: from the catalogue, what the site has, and the media at hand. */
import { type FleetView, type SiteView, zoneStore } from '~/core/fleet'
import { releasePath } from '~/core/releases'
import { type Medium, severities, type Severity, type ShipmentOrder } from '~/core/shipment'
import { compareReleases, GB } from '~/core/units'
import { demoDesk } from '../demo/catalogue'
import type { CatalogueContents } from './catalogue'
import { type SiteStock, siteStock } from './site-stock'

export interface ShipmentChoice {
  readonly site: SiteView
  readonly release: string | null
  /** The channel whose latest add-ons come along, or null for none. */
  readonly channel: string | null
  readonly severity: Severity | null
  readonly holdUnsigned: boolean
  readonly media: readonly Medium[]
}

/** What carries a shipment, and how fast it is filled. */
export const desk = demoDesk

/** Bytes that a site’s disk stores have free; undefined where it does not say. */
function diskFreeBytes(view: FleetView, site: SiteView): number | undefined {
  if (site.hosts.length === 0) return undefined
  return (
    site.zones.reduce((sum, zone) => {
      const { usableGb, usedGb } = zoneStore(site, zone)
      return sum + Math.max(0, usableGb - usedGb)
    }, 0) * GB
  )
}

/** The order of a choice. Add-ons come along only where a cluster of the site has them installed. */
export function orderOf(
  choice: ShipmentChoice,
  view: FleetView,
  catalogue: CatalogueContents,
): ShipmentOrder {
  const stock = siteStock(view, catalogue, choice.site.name)
  const free = diskFreeBytes(view, choice.site)
  const { channel } = choice
  const addOns =
    channel === null
      ? []
      : catalogue.addOns.filter(
          ({ name, channels }) =>
            stock.addOns[name] !== undefined && channels.some((of) => of.name === channel),
        )
  return {
    releases: catalogue.releases,
    edges: catalogue.edges,
    addOns: catalogue.addOns.map(({ name, channels }) => ({
      name,
      channels: channels.map((of) => ({
        name: of.name,
        versions: of.versions.map(({ version, replaces, images }) => ({
          version,
          replaces: [...replaces],
          images: [...images],
        })),
      })),
    })),
    images: catalogue.images.map(({ signedBy: _, ...image }) => image),
    has: {
      ...(stock.release === null ? {} : { release: stock.release }),
      addOns: { ...stock.addOns },
      digests: [...stock.digests],
      ...(free === undefined ? {} : { diskFreeBytes: free }),
    },
    want: {
      ...(choice.release === null ? {} : { release: choice.release, steps: true }),
      addOns: addOns.map(({ name }) => ({ name, channel: channel ?? '', pick: 'latest' })),
    },
    hold: {
      unsigned: choice.holdUnsigned,
      ...(choice.severity === null ? {} : { severity: choice.severity }),
    },
    media: [...choice.media],
    link: desk().link,
  }
}

export interface ShipmentAsked {
  readonly choice: ShipmentChoice
  readonly stock: SiteStock
  /** What the site could be asked to reach, newest first. */
  readonly releases: readonly string[]
}

/** The number of a medium that is at hand, as it was asked or as the desk has it. */
function mediaAsked(search: URLSearchParams): readonly Medium[] {
  return desk().media.map((medium) => {
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
  catalogue: CatalogueContents,
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
  catalogue: CatalogueContents,
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
      site,
      release,
      channel: channel === 'none' ? null : channel,
      severity: severities.find((name) => name === search.get('severity')) ?? null,
      holdUnsigned: search.get('unsigned') !== 'taken',
      media: mediaAsked(search),
    },
    stock,
    releases,
  }
}
