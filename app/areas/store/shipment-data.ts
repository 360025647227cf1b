/** A shipment as it is asked for by an address: its figures, its items, its drives as columns, and what was packed before. */
import {
  type CarriedItem,
  carriedItems,
  orderOf,
  severities,
  type Shipment,
  type ShipmentOrder,
} from '~/core/shipment'
import type { Gyrarch } from '~/server/gyrarch'
import { shipmentAsked } from '~/server/releases/shipping'
import { loadHeight, widthOf } from '../../drawings/drives'
import { driveColumns } from '../../drawings/drives-layout'
import { fleetAsked } from '../moment'
import { packedShipments } from './packed-shipments-data'

export async function shipmentData(gyrarch: Gyrarch, request: Request) {
  const fleet = await fleetAsked(gyrarch, request)
  const view = await fleet.view()
  const catalogue = await gyrarch.registries.published()
  const asked = shipmentAsked(new URL(request.url).searchParams, view, catalogue)
  const shared = {
    now: view.now,
    sites: view.sites.map((site) => site.name),
    media: asked?.choice.media ?? [],
    severities,
  }
  if (!asked) return { ...shared, site: null }
  const { choice, stock, releases } = asked
  const order: ShipmentOrder = orderOf(choice, view, catalogue)
  const site = view.sites.find(({ name }) => name === choice.site)
  const shipment = (await gyrarch.compute.run('shipment', order, request.signal)) as Shipment
  return {
    ...shared,
    site: choice.site,
    stock: { release: stock.release, addOns: stock.addOns },
    releases,
    release: choice.release,
    channel: choice.channel ?? 'none',
    severity: choice.severity ?? '',
    unsigned: choice.holdUnsigned ? 'held' : 'taken',
    // Its own registry is reached over a link, or by drives alone.
    isReached: site?.connected === true && site.registry !== undefined,
    free: order.has.diskFreeBytes ?? null,
    images: choice.images,
    offered: catalogue.images
      .map((image) => image.name)
      .filter((name) => !/^(platform|add-ons)\//.test(name)),
    packed: await packedShipments(gyrarch, choice.site),
    chosen: new URL(request.url).searchParams.get('shipment'),
    ...shipmentShown(order, shipment),
  }
}

const nameOf = ({ name, version }: CarriedItem): string => `${name} ${version}`.trim()

/** What of a shipment the page shows: its figures, its items, and its drives as columns. */
function shipmentShown(order: ShipmentOrder, shipment: Shipment) {
  const imageOf = new Map(order.images.map((image) => [image.digest, image]))
  const items = carriedItems(order, { ...shipment, blobs: [] })
  const itemOf = new Map(
    items.flatMap((item) =>
      item.blobs.map(({ digest, bytes }) => [digest, { bytes, item: nameOf(item) }]),
    ),
  )
  return {
    shipment: {
      bytes: shipment.bytes,
      diskBytes: shipment.diskBytes,
      fits: shipment.fits,
      seconds: shipment.seconds,
      lowerBound: shipment.lowerBound,
      drives: shipment.drives.length,
      unfit: shipment.unfit.length,
      problems: shipment.problems,
      images: shipment.images.length,
      held: shipment.held.map((image) => ({
        ...image,
        name: imageOf.get(image.digest)?.name ?? image.digest,
      })),
    },
    items: items.map(({ blobs: _, ...item }) => ({
      ...item,
      name: nameOf({ ...item, blobs: [] }),
    })),
    columns: driveColumns(
      shipment.drives.map(({ medium, blobs }) => ({
        medium,
        capacity: order.media.find((candidate) => candidate.name === medium)?.bytes ?? 0,
        blobs: blobs.map((digest) => ({
          digest,
          bytes: itemOf.get(digest)?.bytes ?? 0,
          item: itemOf.get(digest)?.item ?? '',
        })),
      })),
      widthOf(shipment.drives.length),
      loadHeight,
    ),
  }
}

export type ShipmentData = Extract<
  Awaited<ReturnType<typeof shipmentData>>,
  { readonly items: unknown }
>
