/**
 * The change kind `shipment.send`: what a site needs is computed and sent straight to its registry, over a link, without
 * drives; blobs that are there already are not sent again.
 */
import { type ChangeKind, longestPath, type Plan, ref, type Step } from '../../changes'
import { command } from '../../contract'
import type { FleetView } from '../../fleet'
import { askRetry, step } from '../../provisioning/steps'
import { siteSpend } from '../../spend'
import { countText, decimalBytesText } from '../../units'
import { type Arrival, arrivalAlters, arrivalProof, arrivalSteps, guardedAt } from './arrival'
import { checkSend } from './pack-checks'
import {
  broughtTo,
  type Computed,
  computedShipment,
  sendIntent,
  type SendIntent,
} from './pack-order'

const arrivalOf = (intent: SendIntent, { site, source, order, shipment }: Computed): Arrival => {
  const nameOf = new Map(order.images.map((image) => [image.digest, image.name]))
  return {
    site,
    source,
    shipment: {
      name: intent.shipment,
      release: intent.release,
      images: shipment.images.map((digest) => ({ name: nameOf.get(digest) ?? digest, digest })),
    },
  }
}

function plan(intent: SendIntent, view: FleetView): Plan {
  const computed = computedShipment(intent, view)
  if ('findings' in computed) throw new Error('a plan is made only for what can be sent')
  const arrival = arrivalOf(intent, computed)
  const { site, source, shipment } = arrival
  const { blobs, bytes, seconds } = computed.shipment
  const entered = { shipment: intent.shipment, site: site.name }
  const steps: Step[] = [
    step({
      id: 'enter',
      after: [],
      group: intent.shipment,
      says: 'enter the shipment',
      command: command('shipment.enter', {
        ...entered,
        release: intent.release,
        images: [...shipment.images],
        drives: [],
      }),
      undo: command('shipment.strike', { shipment: intent.shipment }),
      retry: askRetry,
      seconds: { likely: 1, worst: 3 },
    }),
    step({
      id: 'carry',
      after: ['enter'],
      group: site.registry.host,
      says: `carry ${decimalBytesText(bytes)} from ${source.host} over the link`,
      command: command('blobs.fetch', { site: source.name, bytes, seconds: seconds ?? 1 }),
      retry: askRetry,
      seconds: { likely: seconds ?? 1, worst: Math.ceil((seconds ?? 1) * 1.6) + 30 },
    }),
    step({
      id: 'send',
      after: ['carry'],
      group: site.registry.host,
      says: `take ${countText(blobs.length, 'blob')} in and verify each`,
      command: command('blobs.send', { ...entered, blobs: blobs.map(({ digest }) => digest) }),
      retry: askRetry,
      seconds: { likely: 5, worst: 60 },
    }),
    ...arrivalSteps(arrival, view, ['send']),
  ]
  const spend = siteSpend(site).perMonth
  return {
    steps,
    creates: [ref('shipment', intent.shipment)],
    alters: arrivalAlters(site.name, view),
    removes: [],
    ...longestPath(steps),
    spend: { before: spend, after: spend },
    reserves: [],
  }
}

export const shipmentSend: ChangeKind<SendIntent> = {
  name: 'shipment.send',
  title: 'Send a shipment',
  intent: sendIntent,
  needs: (intent) => ['published', 'catalogue', 'prices', 'registries', `site:${intent.site}`],
  subjects: (intent, view) => [
    ref('shipment', intent.shipment),
    ...arrivalAlters(intent.site, view),
  ],
  guardedBy: (intent, view) => guardedAt(intent.site, view)[0] ?? null,
  guards: (intent, view) => guardedAt(intent.site, view),
  label: (intent) =>
    `send ${intent.release ?? 'images'} to ${intent.site || 'a site'} as ${intent.shipment}`,
  check: checkSend,
  plan,
  prove: (intent, view, results) => {
    const shipment = view.shipments?.find(({ name }) => name === intent.shipment)
    const place = broughtTo(intent.site, view, 'link')
    return !shipment || 'findings' in place
      ? [{ says: `${intent.shipment} is sent`, holds: false, observed: 'no such shipment' }]
      : arrivalProof({ ...place, shipment }, view, results)
  },
}
