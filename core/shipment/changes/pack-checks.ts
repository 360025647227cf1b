/** What stands against a shipment: a closure without a way, drives that do not suffice, images held back, no room. */
import { caution, type RawFinding, stop } from '../../changes'
import { quoted } from '../../contract'
import type { FleetView } from '../../fleet'
import { countText } from '../../units'
import { mediaFallShort } from '../shipment'
import {
  type Computed,
  computedShipment,
  type PackIntent,
  patch,
  type SendIntent,
} from './pack-order'
import { said } from './says'

/** More of the smallest medium that takes what does not fit: one more, then as many as its bytes need. */
function moreDrives(intent: PackIntent, { order, shipment: computed }: Computed) {
  return order.media.flatMap((medium) => {
    const already = medium.count ?? 0
    const needed = Math.ceil(computed.bytes / medium.bytes)
    return [...new Set([already + 1, Math.max(already + 1, needed), needed + 1])].map((count) => ({
      says: `Take ${countText(count, medium.name)}`,
      change: patch('/media', [
        ...intent.media.filter(({ name }) => name !== medium.name),
        { name: medium.name, count },
      ]),
    }))
  })
}

function driveFindings(intent: PackIntent, computed: Computed): readonly RawFinding[] {
  const { order, shipment: packed } = computed
  const atHand = {
    ...said('drives.are', {
      media: order.media.map((medium) => `${medium.count ?? 0} × ${medium.name}`),
    }),
    source: 'packing desk',
  }
  const largest = Math.max(
    0,
    ...order.media.filter(({ count }) => count !== 0).map(({ bytes }) => bytes),
  )
  if (packed.unfit.length > 0)
    return [
      stop(
        'drives.large-enough',
        'media',
        said('drives.unfit', { blobs: packed.unfit.length, bytes: largest }),
        [atHand],
        moreDrives(intent, computed),
      ),
    ]
  return packed.drives.length === 0 && packed.bytes > 0
    ? [
        stop(
          'drives.suffice',
          'media',
          said('drives.short', { bytes: packed.bytes }),
          [atHand],
          moreDrives(intent, computed),
        ),
      ]
    : []
}

/** Problems of the closure itself: no path, no chain of an add-on. */
function closureFindings({ shipment: packed }: Computed): readonly RawFinding[] {
  return packed.problems
    .filter((problem) => problem !== mediaFallShort)
    .map((problem, nth) =>
      stop(
        `closure.${nth}`,
        problem.nearest === undefined ? 'channel' : 'release',
        quoted('closure.problem', problem.says),
        (problem.cutBy ?? []).map((edge) => ({
          ...said('edge.withdrawn', edge),
          source: 'release catalogue',
        })),
        problem.nearest === undefined
          ? [{ says: 'Take no add-ons along', change: patch('/channel', 'none') }]
          : [
              {
                says: `Go as far as ${problem.nearest}`,
                change: patch('/release', problem.nearest),
              },
            ],
      ),
    )
}

function heldFindings({ order, shipment: packed }: Computed): readonly RawFinding[] {
  if (packed.held.length === 0) return []
  const nameOf = new Map(order.images.map((image) => [image.digest, image.name]))
  const held = packed.held.map((image) => ({
    ...image,
    image: nameOf.get(image.digest) ?? image.digest,
  }))
  return [
    caution(
      'images.held',
      'unsigned',
      said('images.held', { count: held.length, images: held.map(({ image }) => image) }),
      held.slice(0, 6).map(({ image, why, lack }) => ({
        ...said('image.held', { image, why, lack }),
        source: 'registry',
      })),
    ),
  ]
}

/** What stands against a shipment whichever way it goes. */
function shipmentFindings(
  intent: SendIntent,
  view: FleetView,
  computed: Computed,
): readonly RawFinding[] {
  const taken = (view.shipments ?? []).map(({ name }) => name)
  const { shipment: packed, order } = computed
  const findings: RawFinding[] = []
  if (taken.includes(intent.shipment)) {
    let free = 2
    while (taken.includes(`${intent.shipment}-${free}`)) free += 1
    findings.push(
      stop(
        'shipment.name',
        'shipment',
        said('shipment.taken', { shipment: intent.shipment }),
        [{ ...said('shipments.are', { shipments: taken }), source: 'fleet' }],
        [
          {
            says: `Call it ${intent.shipment}-${free}`,
            change: patch('/shipment', `${intent.shipment}-${free}`),
          },
        ],
      ),
    )
  }
  if (packed.bytes === 0 && packed.problems.length === 0)
    findings.push(
      stop('shipment.empty', 'release', said('nothing.to-carry', { site: intent.site }), [
        {
          ...said('blobs.on-site', { site: intent.site, blobs: order.has.digests.length }),
          source: intent.site,
        },
      ]),
    )
  const free = order.has.diskFreeBytes
  if (!packed.fits && free !== undefined)
    findings.push(
      stop(
        'disk.room',
        'site',
        said('disk.short', { site: intent.site, free, needed: packed.diskBytes }),
        [{ ...said('disk.free', { site: intent.site, free }), source: intent.site }],
      ),
    )
  return [...findings, ...closureFindings(computed), ...heldFindings(computed)]
}

export function checkPack(intent: PackIntent, view: FleetView): readonly RawFinding[] {
  const computed = computedShipment(intent, view)
  return 'findings' in computed
    ? computed.findings
    : [...shipmentFindings(intent, view, computed), ...driveFindings(intent, computed)]
}

export function checkSend(intent: SendIntent, view: FleetView): readonly RawFinding[] {
  const computed = computedShipment(intent, view)
  return 'findings' in computed ? computed.findings : shipmentFindings(intent, view, computed)
}
