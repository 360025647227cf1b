/** The sentences of this area, by the code of what they tell. */
import { sentences } from '../../contract/said'
import { countText, decimalBytesText, listText } from '../../units'

export const said = sentences({
  'site.unknown': (p: { site: string }) =>
    p.site === '' ? 'Say which site it is for.' : `There is no site ${p.site}.`,
  'sites.are': (p: { sites: readonly string[] }) => `sites: ${listText(p.sites, 12)}`,
  'registry.none': (p: { site: string }) =>
    `No registry stands at ${p.site}: there is nothing to take images into.`,
  'registries.are': (p: { hosts: readonly string[] }) => `registries: ${listText(p.hosts, 6)}`,
  'registry.no-source': (p: { site: string }) =>
    `There is no registry outside ${p.site} to take images from.`,
  'registry.joined': (p: { site: string; host: string }) =>
    `${p.site} pulls from ${p.host} itself: nothing has to be carried there.`,
  'registry.not-reached': (p: { site: string; host: string }) =>
    `${p.site} has no link: ${p.host} is not reached from here. Pack it onto drives instead.`,
  'site.alone': (p: { site: string }) => `no route leads to or from ${p.site}`,
  'published.unread': () => 'What is published has not been read yet. Try again in a moment.',
  'shipment.taken': (p: { shipment: string }) => `There is a shipment ${p.shipment} already.`,
  'shipments.are': (p: { shipments: readonly string[] }) =>
    `shipments: ${listText(p.shipments, 8) || 'none'}`,
  'shipment.none': (p: { shipment: string }) =>
    p.shipment === '' ? 'Say which shipment.' : `There is no shipment ${p.shipment}.`,
  'shipment.elsewhere': (p: { shipment: string; site: string; wanted: string }) =>
    `${p.shipment} was packed for ${p.site}, not for ${p.wanted}.`,
  'shipment.there': (p: { site: string; images: number }) =>
    `The registry of ${p.site} holds all ${countText(p.images, 'image')} of it already.`,
  'release.unknown': (p: { release: string }) => `There is no release ${p.release}.`,
  'release.below': (p: { release: string; runs: string }) =>
    `${p.release} is below ${p.runs}, and a control plane is not taken back.`,
  'releases.published': (p: { count: number; newest: string }) =>
    `${countText(p.count, 'release')}, the newest ${p.newest}`,
  'site.runs': (p: { site: string; release: string }) => `${p.site} runs ${p.release}`,
  'image.unknown': (p: { image: string }) => `No image ${p.image} is published.`,
  'image.like': (p: { images: readonly string[] }) => `published: ${listText(p.images, 6)}`,
  'edge.withdrawn': (p: { from: string; to: string; reason: string }) =>
    `${p.from} → ${p.to} was withdrawn: ${p.reason}`,
  'nothing.to-carry': (p: { site: string }) => `${p.site} has all of it: nothing is to be carried.`,
  'blobs.on-site': (p: { site: string; blobs: number }) =>
    `${p.site} holds ${countText(p.blobs, 'blob')}`,
  'drives.unfit': (p: { blobs: number; bytes: number }) =>
    `${countText(p.blobs, 'blob is', 'blobs are')} larger than any drive at hand; the largest has ${decimalBytesText(p.bytes)}.`,
  'drives.short': (p: { bytes: number }) =>
    `The drives at hand do not hold all ${decimalBytesText(p.bytes)} of it.`,
  'drives.are': (p: { media: readonly string[] }) => `at hand: ${listText(p.media, 8)}`,
  'disk.short': (p: { site: string; free: number; needed: number }) =>
    `${p.site} has ${decimalBytesText(p.free)} free; it takes ${decimalBytesText(p.needed)}.`,
  'disk.free': (p: { site: string; free: number }) =>
    `disk stores of ${p.site}: ${decimalBytesText(p.free)} free`,
  'images.held': (p: { count: number; images: readonly string[] }) =>
    `${countText(p.count, 'image is', 'images are')} held back: ${listText(p.images, 4)}.`,
  'image.held': (p: { image: string; why: string; lack: readonly string[] }) =>
    `${p.image} (${p.why}): without it ${listText(p.lack, 3)} is incomplete`,
})
