/** Name, site, release: what the cluster is called, where it stands and what it runs. */
import { dnsLabel } from '../../objects/dns-label'
import { quoted } from '../../contract'
import type { Fact, RawFinding } from '../../changes'
import type { FleetView, ImageView, SiteView } from '../../fleet'
import { isUnsupported, newestFirst, supportDaysLeft } from '../../releases'
import { compareReleases, minorLine, promiseText } from '../../units'
import type { Check, Planned } from '../planned'
import { said } from './says'

const asLabel = (text: string): string =>
  text
    .toLowerCase()
    .replace(/[^a-z0-9-]+/g, '-')
    .replace(/^-+|-+$/g, '')
    .slice(0, 63)
    .replace(/-+$/, '')

const rename = (name: string) => ({
  says: `Call it ${name}`,
  change: { patchDraft: [{ op: 'replace', path: '/name', value: name } as const] },
})

/** The first of `name-2`, `name-3`… that no cluster bears. */
function freeName(request: string, taken: ReadonlySet<string>): string {
  const stem = request.slice(0, 58).replace(/-\d+$/, '')
  for (let i = 2; ; i++) if (!taken.has(`${stem}-${i}`)) return `${stem}-${i}`
}

/** What stands against a name for a cluster. */
export function nameFindings(name: string, view: FleetView): readonly RawFinding[] {
  const because: Fact[] = [
    {
      ...said('cluster-name-dns'),
      source: 'RFC 1123',
    },
  ]
  if (!dnsLabel.test(name)) {
    const fixed = asLabel(name)
    return [
      {
        level: 'stop',
        rule: 'name.label',
        field: 'name',
        ...(name === ''
          ? said('name.label.cluster-no-name')
          : said('name.label.no-valid-name', { name })),
        because,
        offers: fixed === '' ? [] : [rename(fixed)],
      },
    ]
  }
  const reserved = view.reservations
    .filter((taken) => taken.kind === 'name')
    .map((taken) => taken.what)
  const taken = new Set([...view.clusters.map((cluster) => cluster.name), ...reserved])
  if (!taken.has(name)) return []
  const holder = view.clusters.find((cluster) => cluster.name === name)
  return [
    {
      level: 'stop',
      rule: 'name.taken',
      field: 'name',
      ...said('name.taken', { name, site: holder?.site ?? null }),
      because: [
        {
          ...(holder
            ? said('stands-at', { holder: holder.name, site: holder.site })
            : said('reserved-running-change')),
          source: 'register of clusters',
        },
      ],
      offers: [rename(freeName(name, taken))],
    },
  ]
}

export const checkName: Check = ({ intent, view }) => nameFindings(intent.name, view)

export const checkSite: Check = (planned) => {
  const { intent, site, view } = planned
  if (!site) {
    return [
      {
        level: 'stop',
        rule: 'site.known',
        field: 'site',
        ...(intent.site === ''
          ? said('site.known.no-site-chosen')
          : said('site.known.there-no-site', {
              site: intent.site,
              sites: view.sites.map((otherSite) => otherSite.name),
            })),
        because: [{ ...said('sites-known', { sitesCount: view.sites.length }), source: 'fleet' }],
      },
    ]
  }
  const wantsManaged = intent.controlPlane.kind === 'managed'
  if (wantsManaged && site.managedTiers.length === 0) {
    return [
      {
        level: 'stop',
        rule: 'control-plane.managed',
        field: 'controlPlane.kind',
        ...said('control-plane.managed', { site: site.name }),
        because: [
          {
            ...said('site-kind-own', { site: site.name, kind: site.kind }),
            source: site.name,
            at: site.observedAt,
          },
        ],
        offers: [
          {
            says:
              site.kind === 'edge'
                ? 'One own control-plane machine that is also a worker'
                : 'Three own control-plane machines',
            change: {
              patchDraft: [
                {
                  op: 'replace',
                  path: '/controlPlane',
                  value:
                    site.kind === 'edge'
                      ? { kind: 'own', count: 1, alsoWorkers: true }
                      : { kind: 'own', count: 3, alsoWorkers: false },
                },
              ],
            },
          },
        ],
      },
    ]
  }
  return unpromised(planned, site)
}

/** A guarded cluster on a tier that promises nothing, where another one does. */
function unpromised({ intent }: Planned, site: SiteView): readonly RawFinding[] {
  const { controlPlane, guarded } = intent
  if (!guarded || controlPlane.kind !== 'managed') return []
  const chosen = site.managedTiers.find(({ tier }) => tier === controlPlane.tier)
  const better = site.managedTiers.find(({ availability }) => availability !== null)
  if (!chosen || chosen.availability !== null || !better) return []
  return [
    {
      level: 'note',
      rule: 'control-plane.promise',
      field: 'controlPlane.tier',
      ...said('control-plane.promise', {
        tier: chosen.tier,
        better: better.tier,
        promise: promiseText(better.availability),
      }),
      because: [
        {
          ...said('tiers', {
            tiers: site.managedTiers.map(
              ({ tier, availability }) => `${tier} ${promiseText(availability)}`,
            ),
          }),
          source: site.name,
          at: site.observedAt,
        },
      ],
      offers: [
        {
          says: `Use ${better.tier}`,
          change: {
            patchDraft: [{ op: 'replace', path: '/controlPlane/tier', value: better.tier }],
          },
        },
      ],
    },
  ]
}

const useRelease = (version: string) => ({
  says: `Use ${version}`,
  change: { patchDraft: [{ op: 'replace', path: '/release', value: version } as const] },
})

/** Releases whose image lies at the site and that the site's machines can run; nearest to the wish first: same minor, then newest. */
function usableReleases({ view, site, intent, release }: Planned): readonly string[] {
  const images = new Map(
    (site?.images ?? []).map((image): [string, ImageView] => [image.release, image]),
  )
  const line = minorLine(release?.version ?? intent.release)
  return newestFirst(view.catalogue)
    .filter(
      (otherRelease) =>
        otherRelease.withdrawn === null &&
        images.has(otherRelease.version) &&
        site !== undefined &&
        otherRelease.architectures.includes(site.arch),
    )
    .filter((otherRelease) => !isUnsupported(otherRelease, view.now))
    .map((otherRelease) => otherRelease.version)
    .sort(
      (a, b) =>
        Number(b.startsWith(`${line}.`)) - Number(a.startsWith(`${line}.`)) ||
        compareReleases(b, a),
    )
}

export const checkImage: Check = (planned) => {
  const { release, site } = planned
  if (!release || !site || site.images.some((image) => image.release === release.version)) return []
  return [
    {
      level: 'stop',
      rule: 'image.present',
      field: 'release',
      ...said('image.present', { site: site.name, version: release.version }),
      because: [
        {
          ...said('images-held', { images: site.images.map((image) => image.release) }),
          source: site.name,
          at: site.observedAt,
        },
      ],
      // Amending the draft is quicker; bringing the image is what keeps the wish.
      offers: [
        ...usableReleases(planned).slice(0, 2).map(useRelease),
        ...(site.kind === 'cloud'
          ? []
          : [
              {
                says: `Put the image of ${release.version} in place first`,
                change: {
                  kind: 'image.place',
                  intent: { site: site.name, release: release.version },
                },
              },
            ]),
      ],
    },
  ]
}

export const checkRelease: Check = (planned) => {
  const { intent, release, site, view } = planned
  const offers = usableReleases(planned).slice(0, 2).map(useRelease)
  if (!release) {
    return [
      {
        level: 'stop',
        rule: 'release.available',
        field: 'release',
        ...(intent.release === ''
          ? said('release.available.no-release-chosen')
          : said('release.available.catalogue-no-release', { release: intent.release })),
        because: [
          {
            ...said('releases-listed', { catalogueCount: view.catalogue.length }),
            source: 'release catalogue',
          },
        ],
        offers,
      },
    ]
  }
  const findings: RawFinding[] = []
  if (release.withdrawn !== null) {
    findings.push({
      level: 'stop',
      rule: 'release.withdrawn',
      field: 'release',
      ...said('release.withdrawn', { version: release.version, withdrawn: release.withdrawn }),
      because: [{ ...quoted('withdrawn', release.withdrawn), source: 'release catalogue' }],
      offers,
    })
  }
  if (site && !release.architectures.includes(site.arch)) {
    findings.push({
      level: 'stop',
      rule: 'release.architecture',
      field: 'release',
      ...said('release.architecture', {
        version: release.version,
        arch: site.arch,
        site: site.name,
      }),
      because: [
        { ...said('built', { architectures: release.architectures }), source: 'release catalogue' },
      ],
      offers,
    })
  } else findings.push(...checkImage(planned))
  if (isUnsupported(release, view.now)) {
    findings.push({
      level: 'caution',
      rule: 'release.support',
      field: 'release',
      ...said('release.support', { version: release.version, endOfSupport: release.endOfSupport }),
      because: [
        {
          ...said('end-support-days', {
            endOfSupport: release.endOfSupport,
            supportDaysLeft: -supportDaysLeft(release, view.now),
          }),
          source: 'release catalogue',
        },
      ],
      offers,
    })
  }
  return findings
}
