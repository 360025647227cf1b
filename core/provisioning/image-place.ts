/** The change kind `image.place`: the base image of a release is brought to a site, so that its machines can start from it. */
import { quoted, type Said } from '../contract'
import { command } from '../contract'
import { z } from 'zod'
import { type ChangeKind, longestPath, type Plan, type RawFinding, ref } from '../changes'
import { type FleetView, siteOf } from '../fleet'
import { findRelease, newestFirst } from '../releases'
import { siteSpend } from '../spend'
import { listText } from '../units'
import { estimates, step } from './steps'
import { said } from './says'

export const imagePlaceIntent = z.strictObject({
  site: z.string().max(253),
  release: z.string().max(40),
})
export type ImagePlaceIntent = z.infer<typeof imagePlaceIntent>

function check(intent: ImagePlaceIntent, view: FleetView): readonly RawFinding[] {
  const site = siteOf(view, intent.site)
  const release = findRelease(view.catalogue, intent.release)
  const usable = newestFirst(view.catalogue).filter(
    (otherRelease) =>
      otherRelease.withdrawn === null &&
      site !== undefined &&
      otherRelease.architectures.includes(site.arch) &&
      !site.images.some((image) => image.release === otherRelease.version),
  )
  const offers = usable.slice(0, 2).map((otherRelease) => ({
    says: `Place ${otherRelease.version}`,
    change: {
      patchDraft: [{ op: 'replace', path: '/release', value: otherRelease.version } as const],
    },
  }))
  const stop = (
    rule: string,
    field: string,
    objection: Said,
    because: RawFinding['because'],
    remedies: RawFinding['offers'] = [],
  ): RawFinding => ({ level: 'stop', rule, field, ...objection, because, offers: remedies ?? [] })
  if (!site)
    return [
      stop('site.known', 'site', said('site.known', { site: intent.site }), [
        {
          ...said('sites', { sites: view.sites.map((otherSite) => otherSite.name) }),
          source: 'fleet',
        },
      ]),
    ]
  const seen = { source: site.name, at: site.observedAt }
  const findings: RawFinding[] = []
  if (site.kind === 'cloud')
    return [
      stop('image.cloud', 'site', said('image.cloud', { site: site.name }), [
        { ...said('site-is-cloud', { site: site.name }), ...seen },
      ]),
    ]
  if (!site.connected)
    findings.push(
      stop('image.reach', 'site', said('image.reach', { site: site.name }), [
        { ...said('disconnected', { site: site.name }), ...seen },
      ]),
    )
  if (!release)
    findings.push(
      stop(
        'release.available',
        'release',
        said('release.available', { release: intent.release }),
        [
          {
            ...said('releases-listed', { catalogueCount: view.catalogue.length }),
            source: 'release catalogue',
          },
        ],
        offers,
      ),
    )
  else if (release.withdrawn !== null)
    findings.push(
      stop(
        'release.withdrawn',
        'release',
        said('release.withdrawn', { version: release.version, withdrawn: release.withdrawn }),
        [{ ...quoted('withdrawn', release.withdrawn), source: 'release catalogue' }],
        offers,
      ),
    )
  else if (!release.architectures.includes(site.arch))
    findings.push(
      stop(
        'release.architecture',
        'release',
        said('release.architecture', { version: release.version, arch: site.arch }),
        [
          {
            ...said('built', { architectures: release.architectures }),
            source: 'release catalogue',
          },
        ],
        offers,
      ),
    )
  else if (site.images.some((image) => image.release === release.version))
    findings.push(
      stop(
        'image.there',
        'release',
        said('image.there', { site: site.name, version: release.version }),
        [
          {
            ...said('images-held', { images: site.images.map((image) => image.release) }),
            ...seen,
          },
        ],
        offers,
      ),
    )
  return findings
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
