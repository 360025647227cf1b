/**
 * The change kind `shipment.pack`: what a site without a link needs is computed, fetched to the packing desk, and written
 * onto the fewest drives, each an OCI image layout whose blobs are verified before they leave.
 */
import { z } from 'zod'
import {
  caution,
  type ChangeKind,
  longestPath,
  type Plan,
  type RawFinding,
  ref,
  type Step,
  stop,
} from '../../changes'
import { command, quoted } from '../../contract'
import { type FleetView, siteOf, type SiteView } from '../../fleet'
import { askRetry, step } from '../../provisioning/steps'
import { siteSpend } from '../../spend'
import { type Published } from '../../releases'
import { compareReleases, countText, decimalBytesText } from '../../units'
import { type Medium, orderMistake, severities, type ShipmentOrder } from '../catalogue'
import { orderOf } from '../for-site'
import { type Shipment, secondsOver, shipment } from '../shipment'
import { said } from './says'

export const shipmentName = z
  .string()
  .max(60)
  .regex(/^[a-z0-9]([-a-z0-9.]*[a-z0-9])?$/, 'Use a–z, 0–9, inner dashes and dots.')

const packIntent = z.strictObject({
  shipment: shipmentName,
  site: z.string().max(253),
  release: z.string().max(40).nullable().default(null),
  /** The channel whose latest add-ons come along. */
  channel: z.enum(['steady', 'early', 'none']).default('none'),
  /** Names of single images besides: `vision/seedling-vision:2`. */
  images: z.array(z.string().max(300)).max(500).default([]),
  severity: z.enum(severities).nullable().default(null),
  unsigned: z.enum(['held', 'taken']).default('held'),
  /** How many of each medium are at hand. */
  media: z.array(z.object({ name: z.string().max(120), count: z.int().min(0).max(1000) })).max(50),
})
export type PackIntent = z.infer<typeof packIntent>

interface Computed {
  readonly site: SiteView
  /** The joined site whose registry it is taken from. */
  readonly source: { readonly name: string; readonly host: string }
  readonly order: ShipmentOrder
  readonly shipment: Shipment
}

type Outcome = Computed | { readonly findings: readonly RawFinding[] }

const kept = new WeakMap<FleetView, Map<string, Outcome>>()

/** The registry that a site of another domain has: what is carried is taken from there. */
export function sourceOf(view: FleetView, site: SiteView): Computed['source'] | undefined {
  for (const candidate of view.sites) {
    const { registry } = candidate
    if (registry && candidate.domain !== site.domain)
      return { name: candidate.name, host: registry.host }
  }
  return undefined
}

const registryHosts = (view: FleetView): readonly string[] => [
  ...new Set(view.sites.flatMap((site) => (site.registry ? [site.registry.host] : []))),
]

const fleet = { source: 'fleet' }

/** The site as it has to be for anything to be carried to it, or what stands against it. */
export function carriedTo(
  name: string,
  view: FleetView,
):
  | {
      readonly site: SiteView & { readonly registry: NonNullable<SiteView['registry']> }
      readonly source: Computed['source']
    }
  | { readonly findings: readonly RawFinding[] } {
  const site = siteOf(view, name)
  const hosts = { ...said('registries.are', { hosts: registryHosts(view) }), ...fleet }
  if (!site)
    return {
      findings: [
        stop('site.known', 'site', said('site.unknown', { site: name }), [
          {
            ...said('sites.are', { sites: view.sites.map((candidate) => candidate.name) }),
            ...fleet,
          },
        ]),
      ],
    }
  const { registry } = site
  if (!registry)
    return {
      findings: [stop('registry.stands', 'site', said('registry.none', { site: name }), [hosts])],
    }
  const source = sourceOf(view, site)
  if (!source)
    return {
      findings: [
        stop('registry.source', 'site', said('registry.no-source', { site: name }), [hosts]),
      ],
    }
  if (site.connected)
    return {
      findings: [
        stop(
          'registry.joined',
          'site',
          said('registry.joined', { site: name, host: registry.host }),
          [hosts],
        ),
      ],
    }
  return { site: { ...site, registry }, source }
}

const mediaOf = (intent: PackIntent, published: Published): readonly Medium[] =>
  published.desk.media.map(({ name, bytes }) => ({
    name,
    bytes,
    count: intent.media.find((medium) => medium.name === name)?.count ?? 0,
  }))

const patch = (path: string, value: unknown) => ({
  patchDraft: [{ op: 'add' as const, path, value }],
})

function releaseFinding(
  intent: PackIntent,
  published: Published,
  order: ShipmentOrder,
): RawFinding | null {
  const { release } = intent
  if (release === null) return null
  const versions = published.releases.map(({ version }) => version).sort(compareReleases)
  const newest = versions.at(-1) ?? ''
  if (!versions.includes(release))
    return stop('release.known', 'release', said('release.unknown', { release }), [
      {
        ...said('releases.published', { count: versions.length, newest }),
        source: 'release catalogue',
      },
    ])
  const runs = order.has.release
  return runs !== undefined && compareReleases(release, runs) < 0
    ? stop('release.above', 'release', said('release.below', { release, runs }), [
        { ...said('site.runs', { site: intent.site, release: runs }), source: intent.site },
      ])
    : null
}

function imageFindings(intent: PackIntent, published: Published): readonly RawFinding[] {
  const names = published.images.map(({ name }) => name)
  const isPublished = new Set(names)
  return intent.images.flatMap((image, index) => {
    if (isPublished.has(image)) return []
    const repository = image.split(':')[0] ?? ''
    const like = names.filter((name) => name.startsWith(`${repository}:`)).slice(-6)
    return [
      stop(
        `image.known.${image}`,
        `images[${index}]`,
        said('image.unknown', { image }),
        [{ ...said('image.like', { images: like }), source: 'release catalogue' }],
        like.slice(-2).map((name) => ({
          says: `Take ${name}`,
          change: {
            patchDraft: [{ op: 'replace', path: `/images/${index}`, value: name } as const],
          },
        })),
      ),
    ]
  })
}

function compute(intent: PackIntent, view: FleetView): Outcome {
  const asked = carriedTo(intent.site, view)
  if ('findings' in asked) return asked
  const { published } = view
  if (!published) return { findings: [stop('published', 'site', said('published.unread'), [])] }
  const order = orderOf(
    {
      site: intent.site,
      release: intent.release,
      channel: intent.channel === 'none' ? null : intent.channel,
      images: intent.images,
      severity: intent.severity,
      holdUnsigned: intent.unsigned === 'held',
      media: mediaOf(intent, published),
    },
    view,
    published,
  )
  const wrong = releaseFinding(intent, published, order)
  const findings = [...(wrong ? [wrong] : []), ...imageFindings(intent, published)]
  if (findings.length > 0) return { findings }
  const mistake = orderMistake(order)
  const computed = mistake ? null : shipment(order)
  if (!computed)
    return {
      findings: [
        stop('order.reads', 'site', quoted('order.mistake', mistake?.says ?? 'Too much to count.')),
      ],
    }
  return { ...asked, order, shipment: computed }
}

/** What a draft comes to; computed once for each picture of the fleet. */
export function computedPack(intent: PackIntent, view: FleetView): Outcome {
  const outcomes = kept.get(view) ?? new Map<string, Outcome>()
  kept.set(view, outcomes)
  const key = JSON.stringify(intent)
  const before = outcomes.get(key)
  if (before) return before
  const outcome = compute(intent, view)
  outcomes.set(key, outcome)
  return outcome
}

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
function closureFindings(
  intent: PackIntent,
  { shipment: packed }: Computed,
): readonly RawFinding[] {
  return packed.problems
    .filter((problem) => !problem.says.startsWith('The media at hand'))
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

function heldFindings(
  intent: PackIntent,
  { order, shipment: packed }: Computed,
): readonly RawFinding[] {
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

function check(intent: PackIntent, view: FleetView): readonly RawFinding[] {
  const taken = (view.shipments ?? []).map(({ name }) => name)
  const computed = computedPack(intent, view)
  if ('findings' in computed) return computed.findings
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
        [{ ...said('shipments.are', { shipments: taken }), ...fleet }],
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
  return [
    ...findings,
    ...closureFindings(intent, computed),
    ...driveFindings(intent, computed),
    ...heldFindings(intent, computed),
  ]
}

function plan(intent: PackIntent, view: FleetView): Plan {
  const computed = computedPack(intent, view)
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
  check,
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
