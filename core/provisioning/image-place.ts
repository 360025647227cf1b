/** The change kind `image.place`: the base image of a release is brought to a site, so that its machines can start from it. */
import { quoted, type Said } from '../contract'
import { command } from '../contract'
import { z } from 'zod'
import {
  type ChangeKind,
  type Fact,
  longestPath,
  type Plan,
  type RawFinding,
  ref,
  stop,
} from '../changes'
import { type FleetView, siteOf, type SiteView } from '../fleet'
import { findRelease, newestFirst, type Release } from '../releases'
import { siteSpend } from '../spend'
import { listText } from '../units'
import { estimates, step } from './steps'
import { said } from './says'

export const imagePlaceIntent = z.strictObject({
  site: z.string().max(253),
  release: z.string().max(40),
})
export type ImagePlaceIntent = z.infer<typeof imagePlaceIntent>

/** Releases that are built for the site and of which it holds no image yet, the newest first. */
const placeable = (site: SiteView, view: FleetView): readonly Release[] =>
  newestFirst(view.catalogue).filter(
    ({ withdrawn, architectures, version }) =>
      withdrawn === null &&
      architectures.includes(site.arch) &&
      !site.images.some((image) => image.release === version),
  )

/** What stands against the release: unknown, withdrawn, not built for the site, or there already. */
function checkRelease(
  intent: ImagePlaceIntent,
  site: SiteView,
  view: FleetView,
): readonly RawFinding[] {
  const release = findRelease(view.catalogue, intent.release)
  const offers = placeable(site, view)
    .slice(0, 2)
    .map(({ version }) => ({
      says: `Place ${version}`,
      change: { patchDraft: [{ op: 'replace', path: '/release', value: version } as const] },
    }))
  const objection = (rule: string, says: Said, fact: Fact): readonly RawFinding[] => [
    stop(rule, 'release', says, [fact], offers),
  ]
  const source = 'release catalogue'
  if (!release)
    return objection('release.available', said('release.available', { release: intent.release }), {
      ...said('releases-listed', { catalogueCount: view.catalogue.length }),
      source,
    })
  const { version, withdrawn, architectures } = release
  if (withdrawn !== null)
    return objection('release.withdrawn', said('release.withdrawn', { version, withdrawn }), {
      ...quoted('withdrawn', withdrawn),
      source,
    })
  if (!architectures.includes(site.arch))
    return objection(
      'release.architecture',
      said('release.architecture', { version, arch: site.arch }),
      { ...said('built', { architectures }), source },
    )
  if (!site.images.some((image) => image.release === version)) return []
  return objection('image.there', said('image.there', { site: site.name, version }), {
    ...said('images-held', { images: site.images.map((image) => image.release) }),
    source: site.name,
    at: site.observedAt,
  })
}

function check(intent: ImagePlaceIntent, view: FleetView): readonly RawFinding[] {
  const site = siteOf(view, intent.site)
  if (!site)
    return [
      stop('site.known', 'site', said('site.known', { site: intent.site }), [
        { ...said('sites', { sites: view.sites.map(({ name }) => name) }), source: 'fleet' },
      ]),
    ]
  const seen = { source: site.name, at: site.observedAt }
  if (site.kind === 'cloud')
    return [
      stop('image.cloud', 'site', said('image.cloud', { site: site.name }), [
        { ...said('site-is-cloud', { site: site.name }), ...seen },
      ]),
    ]
  const reach = site.connected
    ? []
    : [
        stop('image.reach', 'site', said('image.reach', { site: site.name }), [
          { ...said('disconnected', { site: site.name }), ...seen },
        ]),
      ]
  return [...reach, ...checkRelease(intent, site, view)]
}

function plan(intent: ImagePlaceIntent, view: FleetView): Plan {
  const site = siteOf(view, intent.site)
  const release = findRelease(view.catalogue, intent.release)
  if (!site || !release)
    throw new Error('a plan is made only for a site and a release that are known')
  const steps = [
    step({
      id: 'place',
      after: [],
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
  ]
  const spend = siteSpend(site).perMonth
  return {
    steps,
    creates: [ref('image', site.name, release.version)],
    alters: [],
    removes: [],
    ...longestPath(steps),
    spend: { before: spend, after: spend },
    reserves: [],
  }
}

export const imagePlace: ChangeKind<ImagePlaceIntent> = {
  name: 'image.place',
  title: 'Put a base image in place',
  intent: imagePlaceIntent,
  needs: (intent) => ['catalogue', `site:${intent.site}`],
  subjects: (intent) => [ref('image', intent.site, intent.release)],
  guardedBy: () => null,
  label: (intent) => `place image ${intent.release} at ${intent.site}`,
  check,
  plan,
  prove: (intent, view) => {
    const images = siteOf(view, intent.site)?.images.map((image) => image.release) ?? []
    const version = findRelease(view.catalogue, intent.release)?.version ?? intent.release
    return [
      {
        says: `${intent.site} holds the image`,
        holds: images.includes(version),
        observed: `images held: ${listText(images, 12)}`,
      },
    ]
  },
  after: (intent, view) => {
    const release = findRelease(view.catalogue, intent.release)
    if (!release) return view
    const image = (arch: string) => ({
      name: release.baseImage,
      release: release.version,
      arch,
      minimumDiskGb: release.minimumRootDiskGb,
    })
    return {
      ...view,
      sites: view.sites.map((site) =>
        site.name === intent.site ? { ...site, images: [...site.images, image(site.arch)] } : site,
      ),
    }
  },
}
