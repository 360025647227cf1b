/**
 * Whether the pods of a text find a place: they are put on a copy of the cluster. What does not fit is told with the number
 * that does, and with the changes that would make it fit.
 */
import type { Offer, RawFinding } from '../changes'
import { type ClusterView, type FleetView, listedObjects } from '../fleet'
import { asText, type ApiObject, list, type PodObject, record } from '../objects'
import { readWorld, Trial, type World } from '../placement'
import type { ApplyIntent } from './apply-intent'
import { objectKey, objectText, type WrittenObject } from './parse'
import { growthFor, nodeOffers, patchText, requestOffers } from './place-offers'
import { said } from './says'
import { textWith } from './text-edit'
import { podKeyOf, type Wanted } from './wanted-pods'

/** Clusters with more objects than this are told what does not fit, without what would help. */
const mostForOffers = 30_000

/** The objects of a cluster once a text is applied, with the pods that it would have to place. */
function objectsAfter(
  asking: readonly Wanted[],
  after: readonly WrittenObject[],
  live: readonly ApiObject[],
): readonly unknown[] {
  const gone = new Set(asking.flatMap(({ leaving }) => [...leaving]))
  const written = new Set(after.map(objectKey))
  const liveKeys = new Set(live.map(objectKey))
  return [
    ...live.filter((object) =>
      object.kind === 'Pod'
        ? !gone.has(`${object.metadata?.namespace ?? 'default'}/${object.metadata?.name ?? ''}`)
        : !written.has(objectKey(object)),
    ),
    ...after.filter(({ kind }) => kind !== 'Pod'),
    ...asking.flatMap(({ object, pods }) => [
      ...pods,
      ...claimsFor(object, pods).filter((claim) => !liveKeys.has(objectKey(claim))),
    ]),
  ]
}

/** What is asked for a workload’s pods: where they are put, what of the text says how many, and where it is told. */
interface Asking {
  readonly text: string
  readonly field: string
  readonly cluster: ClusterView
  readonly world: World
  readonly trial: Trial
  readonly offersHelp: boolean
}

/** Puts the pods of one workload, which stay put; a finding where some find no place. */
function placeOne(wanted: Wanted, asking: Asking): readonly RawFinding[] {
  const { cluster, world, trial } = asking
  const byKey = new Map(world.waiting.map((pod) => [pod.key, pod]))
  const pods = wanted.pods.flatMap((pod) => byKey.get(podKeyOf(pod)) ?? [])
  const isGated = list(record(wanted.pods[0]?.spec)['schedulingGates']).length > 0
  const [first] = pods
  if (isGated || !first) return []
  if (wanted.isDaemon) {
    const short = trial.shortNodes(first)
    return short.length > 0 ? [daemonFinding(wanted, short, cluster)] : []
  }
  const before = trial.count
  const { fits, why, tally } = trial.put(pods)
  if (why === null) return []
  trial.takeBack(before)
  const growth = growthFor(trial, world, pods, cluster)
  if (growth) {
    trial.put(pods)
    return [
      {
        level: 'note',
        rule: `place.${objectKey(wanted.object)}`,
        field: asking.field,
        ...said('grows-for-it', {
          objectText: objectText(wanted.object),
          waiting: pods.length - fits,
          ...growth,
        }),
        because: [
          {
            ...said('placed-on-copy', { cluster: cluster.name, nodes: world.room.standing }),
            source: cluster.name,
            at: cluster.observedAt,
          },
        ],
      },
    ]
  }
  const edit = (path: readonly (string | number)[], value: unknown): string | null =>
    textWith(asking.text, wanted.object, path, value)
  const fewer = wanted.staying + fits
  const fewerText = wanted.numberAt !== null && fewer > 0 ? edit(wanted.numberAt, fewer) : null
  const offers: Offer[] = []
  if (asking.offersHelp) {
    if (fewerText !== null)
      offers.push({ says: `Run ${fewer} of them`, change: patchText(fewerText) })
    offers.push(
      ...nodeOffers(trial, world, pods, cluster),
      ...requestOffers(trial, world, wanted, pods, tally, edit),
    )
  }
  trial.put(pods)
  const isScaler = wanted.numberAt?.[1] === 'maxReplicas'
  return [
    {
      level: 'caution',
      rule: `place.${objectKey(wanted.object)}`,
      field: asking.field,
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
    },
  ]
}

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
  const read = readWorld(objectsAfter(asking, after, live))
  if (!read.ok) return []
  const { world } = read
  const around: Asking = {
    text: intent.text,
    field,
    cluster,
    world,
    trial: new Trial(world),
    offersHelp: live.length <= mostForOffers,
  }
  return asking.flatMap((wanted) => placeOne(wanted, around))
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
        name: `${asText(record(template['metadata'])['name'])}-${pod.metadata.name}`,
        namespace: pod.metadata.namespace ?? 'default',
      },
      spec: template['spec'],
    }))
  })
}
