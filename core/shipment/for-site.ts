/** The order of a shipment as it is asked for a site: from all that is published, what the site has, and the media at hand. */
import { type FleetView, type SiteView, siteOf, zoneStore } from '../fleet'
import type { Published } from '../releases'
import { GB } from '../units'
import type { Medium, Severity, ShipmentOrder } from './catalogue'
import { siteStock } from './site-stock'

export interface ShipmentChoice {
  readonly site: string
  readonly release: string | null
  /** The channel whose latest add-ons come along, or null for none. */
  readonly channel: string | null
  /** Names of single images besides. */
  readonly images: readonly string[]
  readonly severity: Severity | null
  readonly holdUnsigned: boolean
  readonly media: readonly Medium[]
}

/** Bytes that a site’s disk stores have free; undefined where it does not say. */
function diskFreeBytes(site: SiteView): number | undefined {
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
  published: Published,
): ShipmentOrder {
  const stock = siteStock(view, published, choice.site)
  const site = siteOf(view, choice.site)
  const free = site ? diskFreeBytes(site) : undefined
  const { channel } = choice
  const addOns =
    channel === null
      ? []
      : published.addOns.filter(
          ({ name, channels }) =>
            stock.addOns[name] !== undefined && channels.some((of) => of.name === channel),
        )
  const digestOf = new Map(published.images.map((image) => [image.name, image.digest]))
  return {
    releases: published.releases.map((release) => ({ ...release, images: [...release.images] })),
    edges: [...published.edges],
    addOns: published.addOns.map(({ name, channels }) => ({
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
    images: published.images.map(({ signedBy: _, layers, vulnerabilities, ...image }) => ({
      ...image,
      layers: [...layers],
      ...(vulnerabilities ? { vulnerabilities: [...vulnerabilities] } : {}),
    })),
    has: {
      ...(stock.release === null ? {} : { release: stock.release }),
      addOns: { ...stock.addOns },
      digests: [...stock.digests],
      ...(free === undefined ? {} : { diskFreeBytes: free }),
    },
    want: {
      ...(choice.release === null ? {} : { release: choice.release, steps: true }),
      addOns: addOns.map(({ name }) => ({ name, channel: channel ?? '', pick: 'latest' })),
      images: choice.images.flatMap((name) => digestOf.get(name) ?? []),
    },
    hold: {
      unsigned: choice.holdUnsigned,
      ...(choice.severity === null ? {} : { severity: choice.severity }),
    },
    media: [...choice.media],
    link: published.desk.link,
  }
}
