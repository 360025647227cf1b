/** What stands against an upgrade: found before anything moves, from the path to the last budget. */
import { stringify } from 'yaml'
import {
  answering,
  caution,
  noCluster,
  note,
  type Offer,
  type RawFinding,
  stop,
} from '../../changes'
import { clusterOf, type FleetView, listedObjects, siteOf } from '../../fleet'
import {
  convertManifests,
  goingClients,
  goingOf,
  tidied,
  type WrittenObject,
} from '../../manifests'
import { compareReleases, minorLine } from '../../units'
import { isCovered, windowsOf } from '../../windows'
import { publishedAt } from '../published'
import { findRelease, isUnsupported, newestFirst } from '../release'
import { isAhead, type Ordered, orderedUpgrade, type UpgradeIntent } from './order'
import { evictionFindings, machineFindings, wayFindings } from './pool-checks'
import { said } from './says'

const catalogue = { source: 'release catalogue' }

/** Releases to go to instead: the newest that is supported, and the nearest that a path leads to. */
function targets(view: FleetView, above: string): readonly string[] {
  const supported = newestFirst(view.catalogue).filter(
    (release) =>
      release.withdrawn === null &&
      !isUnsupported(release, view.now) &&
      compareReleases(release.version, above) > 0,
  )
  return [...new Set([supported[0]?.version, supported.at(-1)?.version])].flatMap(
    (each) => each ?? [],
  )
}

const goTo = (version: string): Offer => ({
  says: `Go to ${version}`,
  change: { patchDraft: [{ op: 'replace', path: '/to', value: version }] },
})

function targetFindings(intent: UpgradeIntent, view: FleetView): readonly RawFinding[] {
  const cluster = clusterOf(view, intent.cluster)
  if (!cluster) return [noCluster(intent.cluster, view)]
  const silent = answering(cluster, view)
  if (silent.some(({ level }) => level === 'stop')) return silent
  const runs = {
    ...said('cluster-runs', { cluster: cluster.name, release: cluster.release }),
    source: cluster.name,
    at: cluster.observedAt,
  }
  const release = findRelease(view.catalogue, intent.to)
  const offers = targets(view, cluster.release).map(goTo)
  if (!release)
    return [
      stop('release.known', 'to', said('release.unknown', { release: intent.to }), [runs], offers),
    ]
  if (!isAhead(cluster, release.version))
    return [
      stop(
        'release.above',
        'to',
        said('release.below', { release: release.version, runs: cluster.release }),
        [runs],
        offers,
      ),
    ]
  const ended = {
    ...said('support-ended', { release: release.version, until: release.endOfSupport }),
    ...catalogue,
  }
  return isUnsupported(release, view.now)
    ? [
        caution(
          'release.supported',
          'to',
          said('release.unsupported', { release: release.version }),
          [ended],
          offers,
        ),
      ]
    : []
}

function pathFindings({ cluster, upgrade }: Ordered, view: FleetView): readonly RawFinding[] {
  return upgrade.problems.map((problem) =>
    stop(
      `path.${problem.kind}.${problem.name ?? ''}`,
      'to',
      said('path.problem', { says: problem.says }),
      [
        {
          ...said('path.is', { path: upgrade.path ?? [cluster.release] }),
          ...catalogue,
        },
      ],
      targets(view, cluster.release).map(goTo),
    ),
  )
}

/** Objects whose version the target no longer serves, by what their owners last wrote. */
function goneFindings({ cluster, release }: Ordered, view: FleetView): readonly RawFinding[] {
  const minor = minorLine(release.version)
  const gone = listedObjects(view, cluster.name).flatMap((listed) => {
    const entry = goingOf(listed, minor)
    return entry?.gone === true ? [{ object: tidied(listed as WrittenObject), entry }] : []
  })
  if (gone.length === 0) return []
  const text = gone.map(({ object }) => stringify(object)).join('---\n')
  const { manifests, left, later, converted } = convertManifests(text, minorLine(cluster.release))
  const helps = left.length + later.length === 0 && converted.length === gone.length
  return [
    stop(
      'objects.served',
      'to',
      said('objects.gone', {
        count: gone.length,
        release: minor,
        objects: gone.map(({ entry }) => `${entry.kind} ${entry.name ?? ''}`),
      }),
      gone.slice(0, 8).map(({ entry }) => ({
        ...said('object.goes', {
          object: `${entry.kind} ${entry.namespace === null ? '' : `${entry.namespace}/`}${entry.name ?? ''}`,
          apiVersion: entry.apiVersion,
          removedIn: entry.removedIn,
        }),
        source: cluster.name,
        at: cluster.observedAt,
      })),
      helps
        ? [
            {
              says: `Write ${converted.length === 1 ? 'it' : 'all of them'} anew first`,
              change: {
                kind: 'manifest.apply',
                intent: { cluster: cluster.name, text: manifests },
              },
            },
          ]
        : [],
    ),
    ...left.map((entry) =>
      caution(
        `objects.decide.${entry.kind}.${entry.name ?? ''}`,
        'to',
        said('object.decide', {
          object: `${entry.kind} ${entry.name ?? ''}`,
          decide: entry.decide,
        }),
      ),
    ),
  ]
}

/** Clients that ask for a version which the target no longer serves: they get nothing from then on. */
function clientFindings({ cluster, release }: Ordered): readonly RawFinding[] {
  const minor = minorLine(release.version)
  const going = goingClients(cluster.apiClients ?? [], minor)
  return going.length === 0
    ? []
    : [
        caution(
          'clients.served',
          'to',
          said('clients.going', {
            cluster: cluster.name,
            release: minor,
            agents: [...new Set(going.map(({ agent }) => agent))],
          }),
          going.slice(0, 8).map((client) => ({
            ...said('client.asks', client),
            source: cluster.name,
            at: cluster.observedAt,
          })),
        ),
      ]
}

/** A site without a link moves only to what was carried in. */
function carriedFindings({ cluster, upgrade }: Ordered, view: FleetView): readonly RawFinding[] {
  const site = siteOf(view, cluster.site)
  if (!site || site.connected || !view.published) return []
  const published = publishedAt(view.published, site)
  const nameOf = new Map(published.images.map(({ digest, name }) => [digest, name]))
  const held = new Set(
    Object.entries(site.registry?.images ?? {}).flatMap(([repository, tags]) =>
      tags.map((tag) => `${repository.slice(repository.indexOf('/') + 1)}:${tag}`),
    ),
  )
  return (upgrade.path ?? []).slice(1).flatMap((version) => {
    const images = published.releases.find((release) => release.version === version)?.images ?? []
    const missing = images.filter((digest) => !held.has(nameOf.get(digest) ?? ''))
    return missing.length === 0
      ? []
      : [
          stop(
            `release.carried.${version}`,
            'to',
            said('release.not-carried', {
              site: site.name,
              release: version,
              missing: missing.length,
            }),
            [
              {
                ...said('registry-holds', {
                  registry: site.registry?.host ?? site.name,
                  images: held.size,
                }),
                source: site.name,
                at: site.observedAt,
              },
            ],
          ),
        ]
  })
}

function timeFindings({ cluster, upgrade }: Ordered, view: FleetView): readonly RawFinding[] {
  const moves = upgrade.steps.filter(({ kind }) => kind === 'control-plane').length
  const isSingle = cluster.controlPlane.kind === 'own' && cluster.controlPlane.members.length === 1
  return [
    ...(isSingle
      ? [
          caution(
            'member.single',
            'cluster',
            said('member.single', { cluster: cluster.name, moves }),
            [{ ...said('members', { members: 1 }), source: cluster.name, at: cluster.observedAt }],
          ),
        ]
      : []),
    ...(windowsOf(view).some((window) => isCovered(window, cluster))
      ? []
      : [
          caution('window.none', 'cluster', said('window.none', { cluster: cluster.name }), [
            {
              ...said('windows.are', { windows: windowsOf(view).map(({ name }) => name) }),
              source: 'register',
            },
          ]),
        ]),
    note('upgrade.final', 'to', said('upgrade.final')),
  ]
}

/** A release that no catalogue tells the site of: of all that is published, or of what was carried to it. */
function unpublished({ cluster, to }: UpgradeIntent, view: FleetView): RawFinding {
  const at = siteOf(view, clusterOf(view, cluster)?.site ?? '')
  const carried = at && !at.connected ? view.published?.carried?.[at.name] : undefined
  if (!at || !carried)
    return stop('release.published', 'to', said('release.not-published', { release: to }), [])
  const newest = carried.releases
    .map(({ version }) => version)
    .sort(compareReleases)
    .at(-1)
  return stop(
    'release.published',
    'to',
    said('release.not-told', { site: at.name, release: to }),
    [{ ...said('catalogue-carried', { newest: newest ?? 'none' }), source: at.name }],
    newest === undefined ? [] : [goTo(newest)],
  )
}

export function checkUpgrade(intent: UpgradeIntent, view: FleetView): readonly RawFinding[] {
  const wrong = targetFindings(intent, view)
  if (wrong.some(({ level }) => level === 'stop')) return wrong
  const ordered = orderedUpgrade(intent, view)
  if (!ordered) return [unpublished(intent, view)]
  const ways = wayFindings(intent, ordered, view)
  // What stands against a way that cannot be gone is said of the usual one.
  const wayed =
    ways.length === 0
      ? intent
      : {
          ...intent,
          pools: intent.pools.filter((_, index) =>
            ways.every(({ field }) => !field?.startsWith(`pools[${index}]`)),
          ),
        }
  return [
    ...wrong,
    ...pathFindings(ordered, view),
    ...goneFindings(ordered, view),
    ...clientFindings(ordered),
    ...carriedFindings(ordered, view),
    ...ways,
    ...machineFindings(wayed, ordered, view),
    ...evictionFindings(wayed, ordered, view),
    ...timeFindings(ordered, view),
  ]
}
