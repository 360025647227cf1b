/**
 * The change kind `shipment.pack`: what a site without a link needs is computed, fetched to the packing desk, and written
 * onto the fewest drives, each an OCI image layout whose blobs are verified before they leave.
 */
import { type ChangeKind, longestPath, type Plan, ref, type Step } from '../../changes'
import { command } from '../../contract'
import type { FleetView } from '../../fleet'
import { askRetry, step } from '../../provisioning/steps'
import { siteSpend } from '../../spend'
import { countText, decimalBytesText } from '../../units'
import { secondsOver } from '../shipment'
import { checkPack } from './pack-checks'
import { computedShipment, packIntent, type PackIntent } from './pack-order'

function plan(intent: PackIntent, view: FleetView): Plan {
  const computed = computedShipment(intent, view)
  if ('findings' in computed) throw new Error('a plan is made only for what can be carried')
  const { order, shipment: packed, source, site } = computed
  const nameOf = new Map(order.images.map((image) => [image.digest, image.name]))
  const bytesOf = new Map(packed.blobs.map((blob) => [blob.digest, blob.bytes]))
  const drives = packed.drives.map(({ medium, blobs }) => ({
    medium,
    blobs: [...blobs],
    bytes: blobs.reduce((sum, digest) => sum + (bytesOf.get(digest) ?? 0), 0),
  }))
  const steps: Step[] = [
    step({
      id: 'enter',
      after: [],
      group: intent.shipment,
      says: `enter the shipment with ${countText(drives.length, 'drive')}`,
      command: command('shipment.enter', {
        shipment: intent.shipment,
        site: intent.site,
        release: intent.release,
        images: packed.images.map((digest) => ({ name: nameOf.get(digest) ?? digest, digest })),
        drives,
      }),
      undo: command('shipment.strike', { shipment: intent.shipment }),
      retry: askRetry,
      seconds: { likely: 1, worst: 3 },
    }),
  ]
  for (const [index, { medium, blobs, bytes }] of drives.entries()) {
    const drive = index + 1
    const listed = blobs.map((digest) => ({ digest, bytes: bytesOf.get(digest) ?? 0 }))
    const seconds = secondsOver(order.link, listed, bytes) ?? 1
    const group = `${medium} ${drive}`
    steps.push(
      step({
        id: `fetch-${drive}`,
        // The link is filled by one drive at a time.
        after: [index === 0 ? 'enter' : `fetch-${index}`],
        group,
        says: `fetch ${decimalBytesText(bytes)} from ${source.host}`,
        command: command('blobs.fetch', { site: source.name, bytes, seconds }),
        seconds: { likely: seconds, worst: Math.ceil(seconds * 1.6) + 30 },
      }),
      step({
        id: `write-${drive}`,
        after: [`fetch-${drive}`],
        group,
        says: `write drive ${drive} and verify ${countText(blobs.length, 'blob')}`,
        command: command('drive.write', { shipment: intent.shipment, drive }),
        undo: command('drive.erase', { shipment: intent.shipment, drive }),
        retry: askRetry,
        seconds: { likely: 5, worst: 60 },
      }),
    )
  }
  const spend = siteSpend(site).perMonth
  return {
    steps,
    creates: [ref('shipment', intent.shipment)],
    alters: [],
    removes: [],
    ...longestPath(steps),
    spend: { before: spend, after: spend },
    reserves: [],
  }
}

export const shipmentPack: ChangeKind<PackIntent> = {
  name: 'shipment.pack',
  title: 'Pack a shipment',
  intent: packIntent,
  needs: (intent) => ['published', 'catalogue', 'prices', 'registries', `site:${intent.site}`],
  subjects: (intent) => [ref('shipment', intent.shipment)],
  guardedBy: () => null,
  label: (intent) =>
    `pack ${intent.release ?? 'images'} for ${intent.site || 'a site'} as ${intent.shipment}`,
  check: checkPack,
  plan,
  prove: (intent, view, results) => {
    const packed = view.shipments?.find(({ name }) => name === intent.shipment)
    const drives = packed?.drives ?? []
    return drives.length === 0
      ? [{ says: `${intent.shipment} is packed`, holds: false, observed: 'no such shipment' }]
      : drives.map(({ medium, blobs }, index) => {
          const written = Number(results[`write-${index + 1}`]?.['blobs'] ?? 0)
          return {
            says: `drive ${index + 1} (${medium}) holds every blob that belongs on it`,
            holds: written === blobs,
            observed: `${written} of ${countText(blobs, 'blob')}, each of its digest`,
          }
        })
  },
}
