/**
 * The change kind `shipment.import`: drives are put in at the far side in any order, their blobs verified and taken into the
 * registry there; then images are entered, nodes are told to look there, and every node pulls what came.
 */
import { z } from 'zod'
import {
  type ChangeKind,
  longestPath,
  type Plan,
  type RawFinding,
  type Step,
  stop,
} from '../../changes'
import { command } from '../../contract'
import type { FleetView, ShipmentView } from '../../fleet'
import { estimates, step } from '../../provisioning/steps'
import { siteSpend } from '../../spend'
import { countText, decimalBytesText } from '../../units'
import { arrivalAlters, arrivalProof, arrivalSteps, guardedAt, lacking } from './arrival'
import { broughtTo, shipmentName, type ShipmentPlace } from './pack-order'
import { said } from './says'

const importIntent = z.strictObject({
  shipment: shipmentName,
  site: z.string().max(253),
})
export type ImportIntent = z.infer<typeof importIntent>

type Asked = ShipmentPlace & { readonly shipment: ShipmentView }

function asked(
  intent: ImportIntent,
  view: FleetView,
): Asked | { readonly findings: readonly RawFinding[] } {
  const shipments = view.shipments ?? []
  const shipment = shipments.find(({ name }) => name === intent.shipment)
  const because = [
    {
      ...said('shipments.are', { shipments: shipments.map(({ name }) => name) }),
      source: 'packing desk',
    },
  ]
  if (!shipment)
    return {
      findings: [
        stop(
          'shipment.known',
          'shipment',
          said('shipment.none', { shipment: intent.shipment }),
          because,
          shipments
            .filter(({ site }) => site === intent.site)
            .slice(-2)
            .map(({ name }) => ({
              says: `Take in ${name}`,
              change: { patchDraft: [{ op: 'replace', path: '/shipment', value: name } as const] },
            })),
        ),
      ],
    }
  if (shipment.site !== intent.site)
    return {
      findings: [
        stop(
          'shipment.here',
          'site',
          said('shipment.elsewhere', {
            shipment: shipment.name,
            site: shipment.site,
            wanted: intent.site,
          }),
          because,
          [
            {
              says: `Take it in at ${shipment.site}`,
              change: { patchDraft: [{ op: 'replace', path: '/site', value: shipment.site }] },
            },
          ],
        ),
      ],
    }
  const place = broughtTo(intent.site, view, 'drives')
  return 'findings' in place ? place : { ...place, shipment }
}

function check(intent: ImportIntent, view: FleetView): readonly RawFinding[] {
  const taken = asked(intent, view)
  if ('findings' in taken) return taken.findings
  return lacking(taken).length === 0
    ? [
        stop(
          'shipment.lacking',
          'shipment',
          said('shipment.there', { site: taken.site.name, images: taken.shipment.images.length }),
          [
            {
              ...said('registries.are', { hosts: [taken.site.registry.host] }),
              source: taken.site.name,
              at: taken.site.observedAt,
            },
          ],
        ),
      ]
    : []
}

function plan(intent: ImportIntent, view: FleetView): Plan {
  const taken = asked(intent, view)
  if ('findings' in taken) throw new Error('a plan is made only for a shipment that is there')
  const { site, shipment } = taken
  const place = { shipment: shipment.name, site: site.name }
  const drives = shipment.drives.map(({ medium, bytes, blobs }, index) =>
    step({
      id: `drive-${index + 1}`,
      after: [],
      group: `${medium} ${index + 1}`,
      says: `take in drive ${index + 1}: ${countText(blobs, 'blob')}, ${decimalBytesText(bytes)}`,
      command: command('drive.await', { ...place, drive: index + 1 }),
      undo: command('drive.forget', { ...place, drive: index + 1 }),
      seconds: estimates.awaitCall,
    }),
  )
  const steps: Step[] = [
    ...drives,
    ...arrivalSteps(
      taken,
      view,
      drives.map(({ id }) => id),
    ),
  ]
  const spend = siteSpend(site).perMonth
  return {
    steps,
    creates: [],
    alters: arrivalAlters(site.name, view),
    removes: [],
    ...longestPath(steps),
    spend: { before: spend, after: spend },
    reserves: [],
  }
}

export const shipmentImport: ChangeKind<ImportIntent> = {
  name: 'shipment.import',
  title: 'Take a shipment in',
  intent: importIntent,
  needs: (intent) => ['catalogue', 'prices', 'registries', `site:${intent.site}`],
  subjects: (intent, view) => arrivalAlters(intent.site, view),
  guardedBy: (intent, view) => guardedAt(intent.site, view)[0] ?? null,
  guards: (intent, view) => guardedAt(intent.site, view),
  label: (intent) => `take ${intent.shipment} in at ${intent.site || 'a site'}`,
  check,
  plan,
  prove: (intent, view, results) => {
    const taken = asked(intent, view)
    return 'findings' in taken
      ? [{ says: `${intent.shipment} is taken in`, holds: false, observed: 'not known' }]
      : arrivalProof(taken, view, results)
  },
}
