/** The change kind `image.place`: the base image of a release is brought to a site, so that its machines can start from it. */
import { command } from '../contract'
import { z } from 'zod'
import { type ChangeKind, longestPath, type Plan, type RawFinding, ref } from '../changes'
import { type FleetView, siteOf } from '../fleet'
import { findRelease, newestFirst } from '../releases'
import { siteSpend } from '../spend'
import { listText } from '../units'
import { estimates, step } from './steps'

export const imagePlaceIntent = z.strictObject({
  site: z.string().max(253),
  release: z.string().max(40),
})
export type ImagePlaceIntent = z.infer<typeof imagePlaceIntent>

function check(intent: ImagePlaceIntent, view: FleetView): readonly RawFinding[] {
  const site = siteOf(view, intent.site)
  const release = findRelease(view.catalogue, intent.release)
  const usable = newestFirst(view.catalogue).filter(
    (other) =>
      other.withdrawn === null &&
      site !== undefined &&
      other.architectures.includes(site.arch) &&
      !site.images.some((image) => image.release === other.version),
  )
  const offers = usable.slice(0, 2).map((other) => ({
    says: `Place ${other.version}`,
    change: { patchDraft: [{ op: 'replace', path: '/release', value: other.version } as const] },
  }))
  const stop = (
    rule: string,
    field: string,
    says: string,
    because: RawFinding['because'],
    remedies: RawFinding['offers'] = [],
  ): RawFinding => ({ level: 'stop', rule, field, says, because, offers: remedies ?? [] })
  if (!site)
    return [
      stop('site.known', 'site', `There is no site ${intent.site}.`, [
        {
          says: `sites: ${listText(
            view.sites.map((other) => other.name),
            8,
          )}`,
          source: 'fleet',
        },
      ]),
    ]
  const seen = { source: site.name, at: site.observedAt }
  const findings: RawFinding[] = []
  if (site.kind === 'cloud')
    return [
      stop(
        'image.cloud',
        'site',
        `${site.name} keeps its base images itself. There is nothing to place.`,
        [{ says: `${site.name} is a cloud`, ...seen }],
      ),
    ]
  if (!site.connected)
    findings.push(
      stop(
        'image.reach',
        'site',
        `No route leads to ${site.name}. What it runs is carried in on drives.`,
        [{ says: `${site.name} is disconnected`, ...seen }],
      ),
    )
  if (!release)
    findings.push(
      stop(
        'release.available',
        'release',
        `The catalogue has no release ${intent.release}.`,
        [{ says: `${view.catalogue.length} releases are listed`, source: 'release catalogue' }],
        offers,
      ),
    )
  else if (release.withdrawn !== null)
    findings.push(
      stop(
        'release.withdrawn',
        'release',
        `${release.version} was withdrawn: ${release.withdrawn}`,
        [{ says: release.withdrawn, source: 'release catalogue' }],
        offers,
      ),
    )
  else if (!release.architectures.includes(site.arch))
    findings.push(
      stop(
        'release.architecture',
        'release',
        `${release.version} is not built for ${site.arch}.`,
        [{ says: `built for ${listText(release.architectures)}`, source: 'release catalogue' }],
        offers,
      ),
    )
  else if (site.images.some((image) => image.release === release.version))
    findings.push(
      stop(
        'image.there',
        'release',
        `${site.name} holds the image of ${release.version} already.`,
        [
          {
            says: `images held: ${listText(
              site.images.map((image) => image.release),
              12,
            )}`,
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
