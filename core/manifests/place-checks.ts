/**
 * Whether what a text makes would run: its pods placed on a copy of the cluster, its images looked up in the registry that
 * the cluster asks, its claims held against the store, and the quotas of its namespaces counted. What does not fit is told
 * with the number that does, and with the changes that would make it fit.
 */
import type { RawFinding, RemedyChange } from '../changes'
import { type ClusterView, type FleetView, listedObjects, type SiteView, zoneStore } from '../fleet'
import {
  type ApiObject,
  isRecord,
  type Json,
  list,
  type NodeObject,
  type PodObject,
  podsOfWorkload,
  record,
} from '../objects'
import { altered, type BoardObject, readWorld, Trial, type Pod, type World } from '../placement'
import { countText, GiB, MiB, parseBytes, parseCpuMilli } from '../units'
import { type ApplyIntent, rolling } from './apply-intent'
import type { ObjectChange } from './diff'
import { objectKey, objectText, type WrittenObject } from './parse'
import { templateOf } from './references'
import { said } from './says'
import { textWith } from './text-edit'

/** A workload as it would be, the pods that it would need a place for, and those that stay where they are. */
export interface Wanted {
  readonly object: WrittenObject
  /** Where its number stands in its object: replicas of a workload, the most of an autoscaler. */
  readonly numberAt: readonly string[] | null
  readonly pods: readonly PodObject[]
  readonly staying: number
  /** Pods that go for it, as `namespace/name`. */
  readonly leaving: ReadonlySet<string>
  readonly isDaemon: boolean
}

const nameOf = (object: WrittenObject): string =>
  `${object.metadata.namespace ?? 'default'}/${object.metadata.name}`

const podKeyOf = (pod: PodObject): string =>
  `${pod.metadata.namespace ?? 'default'}/${pod.metadata.name}`

const isStanding = (pod: PodObject): boolean =>
  pod.status?.phase !== 'Succeeded' && pod.status?.phase !== 'Failed'

/** What limit ranges of a namespace give a container that says nothing itself. */
export interface Defaults {
  readonly limits: Json
  readonly requests: Json
}

/** The defaults of a namespace, out of the limit ranges that are there and those that are written. */
export function defaultsIn(
  namespace: string,
  live: readonly ApiObject[],
  after: readonly WrittenObject[],
): Defaults {
  const written = new Set(after.map(objectKey))
  const items = [...live.filter((object) => !written.has(objectKey(object))), ...after]
    .filter(
      (object) =>
        object.kind === 'LimitRange' && (object.metadata?.namespace ?? 'default') === namespace,
    )
    .flatMap((range) => list(record((range as WrittenObject)['spec'])['limits']))
    .map(record)
    .filter((item) => item['type'] === 'Container')
  const all = (field: string): Json =>
    Object.assign({}, ...items.map((item) => record(item[field])))
  const limits = { ...all('max'), ...all('default') }
  return { limits, requests: { ...limits, ...all('defaultRequest') } }
}

/** Requests that nobody wrote are the limits, or what the namespace gives, as the API fills them in. */
function filled(spec: Json, defaults: Defaults): Json {
  return {
    ...spec,
    containers: list(spec['containers']).map((entry) => {
      const container = record(entry)
      const resources = record(container['resources'])
      const limits = record(resources['limits'])
      return {
        ...container,
        resources: {
          ...resources,
          limits: { ...defaults.limits, ...limits },
          requests: { ...defaults.requests, ...limits, ...record(resources['requests']) },
        },
      }
    }),
  }
}

function podOf(object: WrittenObject, template: Json, name: string, defaults: Defaults): PodObject {
  const { labels } = record(template['metadata'])
  return {
    apiVersion: 'v1',
    kind: 'Pod',
    metadata: {
      name,
      namespace: object.metadata.namespace ?? 'default',
      labels: isRecord(labels) ? labels : {},
      ownerReferences: [
        {
          apiVersion: object.apiVersion,
          kind: object.kind,
          name: object.metadata.name,
          controller: true,
        },
      ],
    },
    spec: filled(record(template['spec']), defaults),
    status: { phase: 'Pending' },
  } as unknown as PodObject
}

const wholeNumber = (value: unknown, otherwise: number): number =>
  typeof value === 'number' && Number.isInteger(value) && value >= 0 ? value : otherwise

/** More pods than this are not tried one by one. */
const mostTried = 5000

/** What a written object, as it would be once applied, wants of the cluster; null where it wants no pods. */
export function wantedBy(
  object: WrittenObject,
  change: ObjectChange | null,
  live: readonly ApiObject[],
  after: readonly WrittenObject[],
): Wanted | null {
  const template = object.kind === 'Pod' ? (object as Json) : templateOf(object)?.template
  if (!template || list(record(template['spec'])['containers']).length === 0) return null
  if (object.kind !== 'Pod' && !rolling.has(object.kind)) return null
  const spec = record(object['spec'])
  const standing = podsOfWorkload(live, nameOf(object)).filter(isStanding)
  const isNew =
    change === null ||
    change.kind === 'make' ||
    change.fields.some(({ path }) => path.startsWith('/spec/template'))
  const numberAt = object.kind === 'Job' ? ['spec', 'parallelism'] : ['spec', 'replicas']
  const count =
    object.kind === 'Pod' || object.kind === 'DaemonSet'
      ? 1
      : wholeNumber(spec[numberAt[1] ?? ''], 1)
  const staying = isNew ? 0 : Math.min(standing.length, count)
  const defaults = defaultsIn(object.metadata.namespace ?? 'default', live, after)
  return {
    object,
    numberAt: object.kind === 'Pod' || object.kind === 'DaemonSet' ? null : numberAt,
    pods: Array.from({ length: Math.min(mostTried, count - staying) }, (_, i) =>
      podOf(object, template, `${object.metadata.name}-${staying + i}`, defaults),
    ),
    staying,
    leaving: new Set(isNew ? standing.map(podKeyOf) : []),
    isDaemon: object.kind === 'DaemonSet',
  }
}

/** The pods that an autoscaler could come to want at its most. */
export function wantedAtMost(
  scaler: WrittenObject,
  after: readonly WrittenObject[],
  live: readonly ApiObject[],
): Wanted | null {
  const spec = record(scaler['spec'])
  const target = record(spec['scaleTargetRef'])
  const key = objectKey({
    kind: String(target['kind']),
    metadata: { name: String(target['name']), namespace: scaler.metadata.namespace },
  })
  const object =
    after.find((candidate) => objectKey(candidate) === key) ??
    live.find((candidate) => objectKey(candidate) === key)
  const template = object ? templateOf(object as WrittenObject)?.template : undefined
  if (!object || !template) return null
  const standing = podsOfWorkload(live, nameOf(object as WrittenObject)).filter(isStanding)
  const most = wholeNumber(spec['maxReplicas'], 0)
  return {
    object: scaler,
    numberAt: ['spec', 'maxReplicas'],
    pods: Array.from({ length: Math.min(mostTried, Math.max(0, most - standing.length)) }, (_, i) =>
      podOf(
        object as WrittenObject,
        template,
        `${object.metadata?.name ?? ''}-${standing.length + i}`,
        defaultsIn(object.metadata?.namespace ?? 'default', live, after),
      ),
    ),
    staying: Math.min(standing.length, most),
    leaving: new Set(),
    isDaemon: false,
  }
}

interface Offer {
  readonly says: string
  readonly change: RemedyChange
}

const patchText = (text: string): RemedyChange => ({
  patchDraft: [{ op: 'replace', path: '/text', value: text }],
})

/** The least number from `low` to `high` for which something holds, or null; it holds for all above the least. */
function least(low: number, high: number, holds: (count: number) => boolean): number | null {
  if (high < low || !holds(high)) return null
  while (low < high) {
    const middle = Math.floor((low + high) / 2)
    if (holds(middle)) high = middle
    else low = middle + 1
  }
  return low
}

/** So many nodes of a pool are tried as more. */
const mostNodes = 60

/** More nodes of a pool: the fewest with which all fit, the pool that needs fewest first. */
function nodeOffers(
  trial: Trial,
  world: World,
  pods: readonly Pod[],
  cluster: ClusterView,
): readonly Offer[] {
  const found = cluster.pools.flatMap((pool) => {
    const like = world.room.nodes.find(
      (node) => node.metadata.labels?.['gyrarch/pool'] === pool.name,
    )
    if (!like || pool.name === 'control-plane') return []
    const more = least(1, mostNodes, (count) => trial.fitsWith(pods, like, count))
    return more === null ? [] : [{ pool, more }]
  })
  return found
    .sort((a, b) => a.more - b.more)
    .slice(0, 1)
    .map(({ pool, more }) => ({
      says: `Add ${countText(more, 'node')} to ${pool.name}`,
      change: {
        kind: 'pool.resize',
        intent: { cluster: cluster.name, pool: pool.name, count: pool.nodes.length + more },
      },
    }))
}

const sizes = {
  cpu: { read: parseCpuMilli, step: 50, text: (size: number) => `${size}m` },
  memory: { read: parseBytes, step: 16 * MiB, text: (size: number) => `${size / MiB}Mi` },
} as const

/** Less of what is short, asked for by the largest container: the most with which all fit. */
function requestOffers(
  trial: Trial,
  world: World,
  wanted: Wanted,
  pods: readonly Pod[],
  short: Readonly<Record<string, number>>,
  edit: (path: readonly (string | number)[], value: unknown) => string | null,
): readonly Offer[] {
  const template = templateOf(wanted.object)
  const first = pods[0]
  if (!template || !first || wanted.numberAt?.[1] === 'maxReplicas') return []
  return (['cpu', 'memory'] as const).flatMap((resource): readonly Offer[] => {
    if (!Object.hasOwn(short, resource)) return []
    const { read, step, text } = sizes[resource]
    const containers = list(record(first.object.spec)['containers'])
    const asked = containers.map((container) => {
      const size = read(
        String(record(record(record(container)['resources'])['requests'])[resource]),
      )
      return size.ok ? size.value : 0
    })
    const largest = asked.indexOf(Math.max(...asked))
    const most = Math.floor(((asked[largest] ?? 0) - 1) / step)
    const withLess = (steps: number): readonly Pod[] => {
      const spec = record(first.object.spec)
      const less = containers.map((entry, i) => {
        const container = record(entry)
        const resources = record(container['resources'])
        return i === largest
          ? {
              ...container,
              resources: {
                ...resources,
                requests: { ...record(resources['requests']), [resource]: text(steps * step) },
              },
            }
          : container
      })
      const object = { ...first.object, spec: { ...spec, containers: less } } as PodObject
      const like = altered(world, first, object)
      return pods.map((pod) => ({ ...like, key: pod.key }))
    }
    const before = trial.count
    const misfit = least(1, most + 1, (steps) => {
      if (steps > most) return true
      const lesser = withLess(steps)
      const { fits } = trial.put(lesser)
      trial.takeBack(before)
      return fits < lesser.length
    })
    const steps = (misfit ?? 1) - 1
    if (steps < 1) return []
    const path = template.path.split('.')
    const changed = edit(
      [...path, 'spec', 'containers', largest, 'resources', 'requests', resource],
      text(steps * step),
    )
    return changed === null
      ? []
      : [
          {
            says: `Ask for ${text(steps * step)} of ${resource} a pod`,
            change: patchText(changed),
          },
        ]
  })
}

/** Clusters with more objects than this are told what does not fit, without what would help. */
const mostForOffers = 30_000

/** What finds no place, workload by workload in the order of the text: what an earlier one takes a later one does not have. */
export function placingFindings(
  intent: Pick<ApplyIntent, 'text'>,
  all: readonly Wanted[],
  after: readonly WrittenObject[],
  cluster: ClusterView,
  view: FleetView,
  field = 'text',
): readonly RawFinding[] {
  const asking = all.filter(({ pods }) => pods.length > 0)
  if (asking.length === 0) return []
  const live = listedObjects(view, cluster.name)
  const gone = new Set(asking.flatMap(({ leaving }) => [...leaving]))
  const written = new Set(after.map(objectKey))
  const given = [
    ...live.filter((object) =>
      object.kind === 'Pod'
        ? !gone.has(podKeyOf(object as unknown as PodObject))
        : !written.has(objectKey(object)),
    ),
    ...after.filter(({ kind }) => kind !== 'Pod'),
    ...asking.flatMap(({ object, pods }) => [
      ...pods,
      ...claimsFor(object, pods).filter(
        (claim) => !live.some((candidate) => objectKey(candidate) === objectKey(claim)),
      ),
    ]),
  ]
  const read = readWorld(given as unknown as readonly BoardObject[])
  if (!read.ok) return []
  const { world } = read
  const byKey = new Map(world.waiting.map((pod) => [pod.key, pod]))
  const trial = new Trial(world)
  const findings: RawFinding[] = []
  for (const wanted of asking) {
    const pods = wanted.pods.flatMap((pod) => byKey.get(podKeyOf(pod)) ?? [])
    const isGated = list(record(wanted.pods[0]?.spec)['schedulingGates']).length > 0
    if (isGated || pods.length === 0) continue
    if (wanted.isDaemon) {
      const short = pods[0] ? trial.shortNodes(pods[0]) : []
      if (short.length > 0) findings.push(daemonFinding(wanted, short, cluster))
      continue
    }
    const before = trial.count
    const { fits, why, tally } = trial.put(pods)
    if (why === null) continue
    trial.takeBack(before)
    const edit = (path: readonly (string | number)[], value: unknown): string | null =>
      textWith(intent.text, wanted.object, path, value)
    const fewer = wanted.staying + fits
    const fewerText = wanted.numberAt !== null && fewer > 0 ? edit(wanted.numberAt, fewer) : null
    const offers =
      live.length > mostForOffers
        ? []
        : [
            ...(fewerText === null
              ? []
              : [{ says: `Run ${fewer} of them`, change: patchText(fewerText) }]),
            ...nodeOffers(trial, world, pods, cluster),
            ...requestOffers(trial, world, wanted, pods, tally, edit),
          ]
    trial.put(pods)
    const isScaler = wanted.numberAt?.[1] === 'maxReplicas'
    findings.push({
      level: 'caution',
      rule: `place.${objectKey(wanted.object)}`,
      field,
      ...said(isScaler ? 'no-place-at-most' : 'no-place', {
        objectText: objectText(wanted.object),
        pods: wanted.staying + pods.length,
        fits: fewer,
        waiting: pods.length - fits,
        why,
      }),
      because: [
        {
          ...said('placed-on-copy', { cluster: cluster.name, nodes: world.room.standing }),
          source: cluster.name,
          at: cluster.observedAt,
        },
      ],
      offers: offers.slice(0, 3),
    })
  }
  return findings
}

const daemonFinding = (
  wanted: Wanted,
  short: readonly string[],
  cluster: ClusterView,
): RawFinding => ({
  level: 'caution',
  rule: `place.${objectKey(wanted.object)}`,
  field: 'text',
  ...said('daemon-no-place', { objectText: objectText(wanted.object), short }),
  because: [
    {
      ...said('placed-on-copy', {
        cluster: cluster.name,
        nodes: cluster.pools.reduce((sum, pool) => sum + pool.nodes.length, 0),
      }),
      source: cluster.name,
      at: cluster.observedAt,
    },
  ],
})

/** The claims that a stateful workload makes for its pods, as they would be written. */
function claimsFor(object: WrittenObject, pods: readonly PodObject[]): readonly WrittenObject[] {
  return list(record(object['spec'])['volumeClaimTemplates']).flatMap((entry) => {
    const template = record(entry)
    return pods.map((pod): WrittenObject => ({
      apiVersion: 'v1',
      kind: 'PersistentVolumeClaim',
      metadata: {
        name: `${String(record(template['metadata'])['name'])}-${pod.metadata.name}`,
        namespace: pod.metadata.namespace ?? 'default',
      },
      spec: template['spec'],
    }))
  })
}

/** Images that the registry they name does not have. */
export function imageFindings(
  objects: readonly WrittenObject[],
  cluster: ClusterView,
  view: FleetView,
): readonly RawFinding[] {
  const site = view.sites.find((candidate) => candidate.name === cluster.site)
  const registries = view.sites.flatMap((candidate) =>
    candidate.domain === site?.domain && candidate.registry
      ? [{ ...candidate.registry, site: candidate.name }]
      : [],
  )
  return objects.flatMap((object) => {
    const template = object.kind === 'Pod' ? (object as Json) : templateOf(object)?.template
    const spec = record(template?.['spec'])
    return [...list(spec['initContainers']), ...list(spec['containers'])].flatMap(
      (entry): readonly RawFinding[] => {
        const image = String(record(entry)['image'] ?? '')
        const cut = image.lastIndexOf(':')
        const [repository, tag] =
          cut > image.lastIndexOf('/')
            ? [image.slice(0, cut), image.slice(cut + 1)]
            : [image, 'latest']
        const registry = registries.find(({ host }) => repository.startsWith(`${host}/`))
        if (!registry || image.includes('@')) return []
        const tags = Object.hasOwn(registry.images, repository)
          ? (registry.images[repository] ?? [])
          : null
        if (tags?.includes(tag)) return []
        return [
          {
            level: 'caution',
            rule: `image.${objectKey(object)}.${String(record(entry)['name'])}`,
            field: 'text',
            ...said('image-not-there', {
              objectText: objectText(object),
              image,
              tags: tags === null ? null : [...tags].sort().slice(-6),
            }),
            because: [
              {
                ...said('registry-asked', {
                  host: registry.host,
                  repositories: Object.keys(registry.images).length,
                }),
                source: registry.site,
              },
            ],
          },
        ]
      },
    )
  })
}

const freeGb = (site: SiteView, zone: string): number => {
  const { usableGb, usedGb } = zoneStore(site, zone)
  return Math.max(0, usableGb - usedGb)
}

/** Claims larger than what is free of the store, in every zone that their class offers. */
export function claimFindings(
  intent: ApplyIntent,
  objects: readonly WrittenObject[],
  cluster: ClusterView,
  view: FleetView,
): readonly RawFinding[] {
  const site = view.sites.find((candidate) => candidate.name === cluster.site)
  if (!site || site.hosts.length === 0) return []
  return objects.flatMap((object): readonly RawFinding[] => {
    if (object.kind !== 'PersistentVolumeClaim') return []
    const spec = record(object['spec'])
    const size = parseBytes(String(record(record(spec['resources'])['requests'])['storage']))
    const offered = site.storageClasses.find(
      (candidate) => candidate.name === spec['storageClassName'],
    )
    const zones = offered?.zones ?? site.zones
    const free = Math.max(...zones.map((zone) => freeGb(site, zone)))
    const wantedGb = size.ok ? Math.ceil(size.value / 1e9) : 0
    if (wantedGb <= free) return []
    const fitting = Math.floor((free * 1e9) / GiB)
    const smaller =
      fitting > 0
        ? textWith(
            intent.text,
            object,
            ['spec', 'resources', 'requests', 'storage'],
            `${fitting}Gi`,
          )
        : null
    return [
      {
        level: 'caution',
        rule: `claim.${objectKey(object)}`,
        field: 'text',
        ...said('claim-too-large', {
          objectText: objectText(object),
          wantedGb,
          freeGb: free,
          site: site.name,
        }),
        because: [
          {
            ...said('store-counted', { zones: zones.length }),
            source: site.name,
            at: site.observedAt,
          },
        ],
        ...(smaller === null
          ? {}
          : { offers: [{ says: `Claim ${fitting} GiB`, change: patchText(smaller) }] }),
      },
    ]
  })
}
