/** What a draft of a shipment comes to, by drives or by a link: its order and its closure, or what keeps it from being computed. */
import { z } from 'zod'
import { type RawFinding, stop } from '../../changes'
import { quoted } from '../../contract'
import { type FleetView, siteOf, type SiteView } from '../../fleet'
import type { Published } from '../../releases'
import { compareReleases } from '../../units'
import { type Medium, orderMistake, severities, type ShipmentOrder } from '../catalogue'
import { orderOf } from '../for-site'
import { type Shipment, shipment } from '../shipment'
import { said } from './says'

export const shipmentName = z
  .string()
  .max(60)
  .regex(/^[a-z0-9]([-a-z0-9.]*[a-z0-9])?$/, 'Use a–z, 0–9, inner dashes and dots.')

/** What a shipment is to bring, whichever way it goes. */
export const sendIntent = z.strictObject({
  shipment: shipmentName,
  site: z.string().max(253),
  release: z.string().max(40).nullable().default(null),
  /** The channel whose latest add-ons come along. */
  channel: z.enum(['steady', 'early', 'none']).default('none'),
  /** Names of single images besides: `vision/seedling-vision:2`. */
  images: z.array(z.string().max(300)).max(500).default([]),
  severity: z.enum(severities).nullable().default(null),
  unsigned: z.enum(['held', 'taken']).default('held'),
})
export type SendIntent = z.infer<typeof sendIntent>

export const packIntent = sendIntent.extend({
  /** How many of each medium are at hand. */
  media: z.array(z.object({ name: z.string().max(120), count: z.int().min(0).max(1000) })).max(50),
})
export type PackIntent = z.infer<typeof packIntent>

/** Where a shipment goes: a site with a registry of its own, and where its images come from. */
export interface ShipmentPlace {
  readonly site: SiteView & { readonly registry: NonNullable<SiteView['registry']> }
  /** The joined site whose registry it is taken from. */
  readonly source: { readonly name: string; readonly host: string }
}

export interface Computed extends ShipmentPlace {
  readonly order: ShipmentOrder
  readonly shipment: Shipment
}

export type Outcome = Computed | { readonly findings: readonly RawFinding[] }

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

/** The site as it has to be for anything to be brought to it that way, or what stands against it. */
export function broughtTo(
  name: string,
  view: FleetView,
  way: 'drives' | 'link',
): ShipmentPlace | { readonly findings: readonly RawFinding[] } {
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
  if (site.connected !== (way === 'link'))
    return {
      findings: [
        site.connected
          ? stop(
              'registry.joined',
              'site',
              said('registry.joined', { site: name, host: registry.host }),
              [hosts],
            )
          : stop(
              'registry.reached',
              'site',
              said('registry.not-reached', { site: name, host: registry.host }),
              [{ ...said('site.alone', { site: name }), source: name, at: site.observedAt }],
            ),
      ],
    }
  return { site: { ...site, registry }, source }
}

const mediaOf = (intent: PackIntent | SendIntent, published: Published): readonly Medium[] =>
  published.desk.media.map(({ name, bytes }) => ({
    name,
    bytes,
    count:
      'media' in intent ? (intent.media.find((medium) => medium.name === name)?.count ?? 0) : 0,
  }))

export const patch = (path: string, value: unknown) => ({
  patchDraft: [{ op: 'add' as const, path, value }],
})

function releaseFinding(
  intent: SendIntent,
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

function imageFindings(intent: SendIntent, published: Published): readonly RawFinding[] {
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

function compute(intent: PackIntent | SendIntent, view: FleetView): Outcome {
  const asked = broughtTo(intent.site, view, 'media' in intent ? 'drives' : 'link')
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
export function computedShipment(intent: PackIntent | SendIntent, view: FleetView): Outcome {
  const outcomes = kept.get(view) ?? new Map<string, Outcome>()
  kept.set(view, outcomes)
  const key = JSON.stringify(intent)
  const before = outcomes.get(key)
  if (before) return before
  const outcome = compute(intent, view)
  outcomes.set(key, outcome)
  return outcome
}
