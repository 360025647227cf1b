/** The quotas of namespaces, counted with what a text would add. Source: Kubernetes, Resource Quotas. */
import type { RawFinding } from '../changes'
import { type ClusterView, type FleetView, listedObjects } from '../fleet'
import { asText, type ApiObject, list, ofKind, type PodObject, record } from '../objects'
import { parseBytes, parseCpuMilli } from '../units'
import type { ApplyIntent } from './apply-intent'
import { objectKey, objectText, type WrittenObject } from './parse'
import { patchText } from './place-offers'
import type { Wanted } from './wanted-pods'
import { said } from './says'
import { textWith } from './text-edit'

const isFinished = (pod: PodObject): boolean =>
  pod.status?.phase === 'Succeeded' || pod.status?.phase === 'Failed'

/** How much of a counted thing a pod takes; null where the quota asks for it and the pod does not say. */
function takenBy(pod: PodObject, counted: string): number | null {
  if (counted === 'pods' || counted === 'count/pods') return 1
  const [kind, resource] = counted.includes('.')
    ? [counted.slice(0, counted.indexOf('.')), counted.slice(counted.indexOf('.') + 1)]
    : ['requests', counted]
  if ((resource !== 'cpu' && resource !== 'memory') || !/^(requests|limits)$/.test(kind)) return 0
  let sum = 0
  for (const entry of list(record(pod.spec)['containers'])) {
    const resources = record(record(entry)['resources'])
    const text =
      record(resources[kind])[resource] ??
      (kind === 'requests' ? record(resources['limits'])[resource] : undefined)
    if (text === undefined) return null
    const read = (resource === 'cpu' ? parseCpuMilli : parseBytes)(asText(text))
    sum += read.ok ? read.value : 0
  }
  return sum
}

const limitOf = (counted: string, hard: unknown): number | null => {
  const read = (counted.endsWith('cpu') ? parseCpuMilli : parseBytes)(asText(hard))
  return read.ok ? read.value : null
}

interface Counted {
  readonly intent: ApplyIntent
  readonly cluster: ClusterView
  readonly quota: ApiObject | WrittenObject
  readonly counted: string
  readonly hard: string
}

const becauseOf = ({ cluster, quota, counted, hard }: Counted): RawFinding['because'] => [
  {
    ...said('quota-counted', { quota: quotaText(quota), counted, hard }),
    source: cluster.name,
    at: cluster.observedAt,
  },
]

const quotaText = (quota: ApiObject | WrittenObject): string =>
  `${quota.metadata?.namespace ?? 'default'}/${quota.metadata?.name ?? ''}`

/** A workload of which the quota admits only some pods. */
function fullFinding(wanted: Wanted, fits: number, of: Counted): RawFinding {
  const fewer = wanted.staying + fits
  const text =
    wanted.numberAt !== null && fewer > 0
      ? textWith(of.intent.text, wanted.object, wanted.numberAt, fewer)
      : null
  return {
    level: 'caution',
    rule: ruleOf(wanted, of),
    field: 'text',
    ...said('quota-full', {
      objectText: objectText(wanted.object),
      pods: wanted.staying + wanted.pods.length,
      fits: fewer,
      counted: of.counted,
      hard: of.hard,
      quota: quotaText(of.quota),
    }),
    because: becauseOf(of),
    ...(text === null
      ? {}
      : { offers: [{ says: `Run ${fewer} of them`, change: patchText(text) }] }),
  }
}

const ruleOf = (wanted: Wanted, { quota, counted }: Counted): string =>
  `quota.${objectKey(wanted.object)}.${quota.metadata?.name ?? ''}.${counted}`

/** What one counted thing of a quota says to the workloads of its namespace, in their order. */
function countedFindings(
  asking: readonly Wanted[],
  used: number,
  limit: number,
  of: Counted,
): readonly RawFinding[] {
  let taken = used
  return asking.flatMap((wanted): readonly RawFinding[] => {
    const [first] = wanted.pods
    const each = first ? takenBy(first, of.counted) : 0
    if (each === null)
      return [
        {
          level: 'stop',
          rule: ruleOf(wanted, of),
          field: 'text',
          ...said('quota-needs', {
            objectText: objectText(wanted.object),
            counted: of.counted,
            quota: of.quota.metadata?.name ?? '',
          }),
          because: becauseOf(of),
        },
      ]
    const room = each === 0 ? wanted.pods.length : Math.floor((limit - taken) / each)
    const fits = Math.max(0, Math.min(wanted.pods.length, room))
    taken += fits * each
    return fits === wanted.pods.length ? [] : [fullFinding(wanted, fits, of)]
  })
}

/** Pods that the quota of their namespace would not admit. */
export function quotaFindings(
  intent: ApplyIntent,
  all: readonly Wanted[],
  after: readonly WrittenObject[],
  cluster: ClusterView,
  view: FleetView,
): readonly RawFinding[] {
  const live = listedObjects(view, cluster.name)
  const written = new Set(after.map(objectKey))
  const quotas: readonly (ApiObject | WrittenObject)[] = [
    ...live.filter((object) => object.kind === 'ResourceQuota' && !written.has(objectKey(object))),
    ...after.filter((object) => object.kind === 'ResourceQuota'),
  ]
  const gone = new Set(all.flatMap(({ leaving }) => [...leaving]))
  return quotas.flatMap((quota): readonly RawFinding[] => {
    const namespace = quota.metadata?.namespace ?? 'default'
    const asking = all.filter(
      ({ object, pods }) =>
        pods.length > 0 && (object.metadata.namespace ?? 'default') === namespace,
    )
    if (asking.length === 0) return []
    const counting = ofKind(live, 'Pod').filter(
      (pod) =>
        (pod.metadata.namespace ?? 'default') === namespace &&
        !isFinished(pod) &&
        !gone.has(`${namespace}/${pod.metadata.name}`),
    )
    const hard = Object.entries(record(record((quota as WrittenObject)['spec'])['hard']))
    return hard.flatMap(([counted, value]): readonly RawFinding[] => {
      const limit = limitOf(counted, value)
      if (limit === null) return []
      const used = counting.reduce((sum, pod) => sum + (takenBy(pod, counted) ?? 0), 0)
      return countedFindings(asking, used, limit, {
        intent,
        cluster,
        quota,
        counted,
        hard: asText(value),
      })
    })
  })
}
