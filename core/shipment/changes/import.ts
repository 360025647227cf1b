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
  ref,
  type Step,
  stop,
} from '../../changes'
import { command } from '../../contract'
import type { ClusterView, FleetView, ShipmentView } from '../../fleet'
import { estimates, from, step } from '../../provisioning/steps'
import { siteSpend } from '../../spend'
import { findRelease } from '../../releases'
import { countText, decimalBytesText } from '../../units'
import { carriedTo, shipmentName } from './pack-order'
import { said } from './says'

const importIntent = z.strictObject({
  shipment: shipmentName,
  site: z.string().max(253),
})
export type ImportIntent = z.infer<typeof importIntent>

type Asked = Exclude<ReturnType<typeof carriedTo>, { findings: unknown }> & {
  readonly shipment: ShipmentView
}

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
  const place = carriedTo(intent.site, view)
  return 'findings' in place ? place : { ...place, shipment }
}

/** Images of a shipment that the registry of its site does not list. */
function lacking({ site, shipment }: Asked): ShipmentView['images'] {
  return shipment.images.filter(({ name }) => {
    const colon = name.lastIndexOf(':')
    const tags = site.registry.images[`${site.registry.host}/${name.slice(0, colon)}`]
    return !tags?.includes(name.slice(colon + 1))
  })
}

const clustersAt = (view: FleetView, site: string): readonly ClusterView[] =>
  view.clusters.filter((cluster) => cluster.site === site && cluster.apiAnswers)

const redirectOf = ({ site, source }: Asked) => ({
  from: source.host,
  to: site.registry.host,
})

/** Where the nodes of a cluster look from now on. */
function redirectsOf(cluster: ClusterView, wanted: { from: string; to: string }) {
  return [...(cluster.redirects ?? []).filter((redirect) => redirect.from !== wanted.from), wanted]
}

const isRedirected = (cluster: ClusterView, wanted: { from: string; to: string }): boolean =>
  (cluster.redirects ?? []).some(({ from: of, to }) => of === wanted.from && to === wanted.to)

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

function clusterSteps(cluster: ClusterView, taken: Asked): readonly Step[] {
  const wanted = redirectOf(taken)
  const group = cluster.name
  const redirect = `redirect-${cluster.name}`
  return [
    step({
      id: redirect,
      after: ['images'],
      group,
      says: `have every node look for ${wanted.from} at ${wanted.to}`,
      command: command('nodes.redirect', {
        cluster: cluster.name,
        redirects: redirectsOf(cluster, wanted),
      }),
      undo: command('nodes.redirect', {
        cluster: cluster.name,
        redirects: from(redirect, 'before'),
      }),
      seconds: { likely: 14, worst: 60 },
    }),
    step({
      id: `pull-${cluster.name}`,
      after: [redirect],
      group,
      says: `pull ${countText(taken.shipment.images.length, 'image')} on every node`,
      command: command('images.pull', {
        cluster: cluster.name,
        images: taken.shipment.images.map(({ name, digest }) => ({
          name: `${wanted.from}/${name}`,
          digest,
        })),
      }),
      seconds: { likely: 22, worst: 90 },
    }),
  ]
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
  const release =
    shipment.release === null ? undefined : findRelease(view.catalogue, shipment.release)
  const isPlaced = !release || site.images.some((image) => image.release === release.version)
  const steps: Step[] = [
    ...drives,
    step({
      id: 'images',
      after: drives.map(({ id }) => id),
      group: site.registry.host,
      says: `verify and enter ${countText(shipment.images.length, 'image')} with their signatures`,
      command: command('images.enter', place),
      undo: command('images.withdraw', place),
      seconds: { likely: 10, worst: 120 },
    }),
    ...(isPlaced
      ? []
      : [
          step({
            id: 'base',
            after: ['images'],
            group: site.name,
            says: `bring ${release.baseImage} ${release.version} to every zone`,
            command: command('image.place', {
              site: site.name,
              name: release.baseImage,
              release: release.version,
              minimumDiskGb: release.minimumRootDiskGb,
            }),
            undo: command('image.remove', { site: site.name, release: release.version }),
            seconds: estimates.placeImage,
          }),
        ]),
    ...clustersAt(view, site.name).flatMap((cluster) => clusterSteps(cluster, taken)),
  ]
  const spend = siteSpend(site).perMonth
  return {
    steps,
    creates: [],
    alters: [
      ref('registry', site.name),
      ...clustersAt(view, site.name).map(({ name }) => ref('cluster', name)),
    ],
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
  subjects: (intent, view) => [
    ref('registry', intent.site),
    ...clustersAt(view, intent.site).map(({ name }) => ref('cluster', name)),
  ],
  guardedBy: (intent, view) =>
    clustersAt(view, intent.site).find((cluster) => cluster.guarded)?.name ?? null,
  guards: (intent, view) =>
    clustersAt(view, intent.site)
      .filter((cluster) => cluster.guarded)
      .map(({ name }) => name),
  label: (intent) => `take ${intent.shipment} in at ${intent.site || 'a site'}`,
  check,
  plan,
  prove: (intent, view, results) => {
    const taken = asked(intent, view)
    if ('findings' in taken)
      return [{ says: `${intent.shipment} is taken in`, holds: false, observed: 'not known' }]
    const missing = lacking(taken)
    const wanted = redirectOf(taken)
    return [
      {
        says: `${taken.site.registry.host} holds every image of ${intent.shipment}`,
        holds: missing.length === 0,
        observed: `${taken.shipment.images.length - missing.length} of ${countText(taken.shipment.images.length, 'image')}`,
      },
      ...clustersAt(view, intent.site).map((cluster) => ({
        says: `nodes of ${cluster.name} pull from ${wanted.to}`,
        holds:
          isRedirected(cluster, wanted) &&
          Number(results[`pull-${cluster.name}`]?.['images'] ?? 0) === taken.shipment.images.length,
        observed: `${Number(results[`pull-${cluster.name}`]?.['images'] ?? 0)} images pulled on ${countText(Number(results[`pull-${cluster.name}`]?.['nodes'] ?? 0), 'node')}`,
      })),
    ]
  },
}
