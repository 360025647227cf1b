/** Name, site, release: what the cluster is called, where it stands and what it runs. */
import type { Fact, RawFinding } from '../../changes'
import type { ImageView } from '../../fleet'
import { isUnsupported, newestFirst, supportDaysLeft } from '../../releases'
import { compareReleases, listText, minorLine } from '../../units'
import type { Check, Planned } from '../planned'

/** A DNS label as RFC 1123 has it: lower-case letters, digits and inner dashes, at most 63. */
const label = /^[a-z0-9]([-a-z0-9]{0,61}[a-z0-9])?$/

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
function freeName(wish: string, taken: ReadonlySet<string>): string {
  const stem = wish.slice(0, 58).replace(/-\d+$/, '')
  for (let i = 2; ; i++) if (!taken.has(`${stem}-${i}`)) return `${stem}-${i}`
}

export const checkName: Check = ({ intent, view }) => {
  const because: Fact[] = [
    {
      says: 'A cluster name is a DNS label: 1 to 63 of a–z, 0–9 and inner dashes.',
      source: 'RFC 1123',
    },
  ]
  if (!label.test(intent.name)) {
    const fixed = asLabel(intent.name)
    return [
      {
        level: 'stop',
        rule: 'name.label',
        field: 'name',
        says:
          intent.name === ''
            ? 'The cluster has no name yet.'
            : `“${intent.name}” is no valid name. Use a–z, 0–9 and inner dashes, at most 63.`,
        because,
        offers: fixed === '' ? [] : [rename(fixed)],
      },
    ]
  }
  const reserved = view.reservations
    .filter((taken) => taken.kind === 'name')
    .map((taken) => taken.what)
  const taken = new Set([...view.clusters.map((cluster) => cluster.name), ...reserved])
  if (!taken.has(intent.name)) return []
  const holder = view.clusters.find((cluster) => cluster.name === intent.name)
  return [
    {
      level: 'stop',
      rule: 'name.taken',
      field: 'name',
      says: `The name ${intent.name} is taken${holder ? ` by the cluster at ${holder.site}` : ' by a running change'}.`,
      because: [
        {
          says: holder
            ? `${holder.name} stands at ${holder.site}, release ${holder.release}`
            : 'reserved by a running change',
          source: 'register of clusters',
        },
      ],
      offers: [rename(freeName(intent.name, taken))],
    },
  ]
}

export const checkSite: Check = ({ intent, site, view }) => {
  if (!site) {
    return [
      {
        level: 'stop',
        rule: 'site.known',
        field: 'site',
        says:
          intent.site === ''
            ? 'No site is chosen yet.'
            : `There is no site ${intent.site}. Known: ${listText(
                view.sites.map((other) => other.name),
                8,
              )}.`,
        because: [{ says: `${view.sites.length} sites are known`, source: 'fleet' }],
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
        says: `${site.name} runs no managed control planes. Bring your own: 1 or 3 machines.`,
        because: [
          {
            says: `${site.name} is ${site.kind === 'edge' ? 'an edge box' : 'a hall'}`,
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
  return []
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
      (other) =>
        other.withdrawn === null &&
        images.has(other.version) &&
        site !== undefined &&
        other.architectures.includes(site.arch),
    )
    .filter((other) => !isUnsupported(other, view.now))
    .map((other) => other.version)
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
      says: `${site.name} holds no base image of ${release.version}. Its machines could not start.`,
      because: [
        {
          says: `images held: ${listText(site.images.map((image) => image.release)) || 'none'}`,
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
        says:
          intent.release === ''
            ? 'No release is chosen yet.'
            : `The catalogue has no release ${intent.release}.`,
        because: [
          { says: `${view.catalogue.length} releases are listed`, source: 'release catalogue' },
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
      says: `${release.version} was withdrawn: ${release.withdrawn}`,
      because: [{ says: release.withdrawn, source: 'release catalogue' }],
      offers,
    })
  }
  if (site && !release.architectures.includes(site.arch)) {
    findings.push({
      level: 'stop',
      rule: 'release.architecture',
      field: 'release',
      says: `${release.version} is not built for ${site.arch}, which the machines of ${site.name} are.`,
      because: [
        { says: `built for ${listText(release.architectures)}`, source: 'release catalogue' },
      ],
      offers,
    })
  } else findings.push(...checkImage(planned))
  if (isUnsupported(release, view.now)) {
    findings.push({
      level: 'caution',
      rule: 'release.support',
      field: 'release',
      says: `Support for ${release.version} ended on ${release.endOfSupport}. It gets no more fixes.`,
      because: [
        {
          says: `end of support ${release.endOfSupport}, ${-supportDaysLeft(release, view.now)} days ago`,
          source: 'release catalogue',
        },
      ],
      offers,
    })
  }
  return findings
}
