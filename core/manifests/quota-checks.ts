/** The quotas of namespaces, counted with what a text would add. Source: Kubernetes, Resource Quotas. */
import type { RawFinding } from '../changes'
import { type ClusterView, type FleetView, listedObjects } from '../fleet'
import { type ApiObject, list, type PodObject, record } from '../objects'
import { listText, parseBytes, parseCpuMilli } from '../units'
import type { ApplyIntent } from './apply-intent'
import { objectKey, objectText, type WrittenObject } from './parse'
import type { Wanted } from './place-checks'
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
    const read = (resource === 'cpu' ? parseCpuMilli : parseBytes)(String(text))
    sum += read.ok ? read.value : 0
  }
  return sum
}

const limitOf = (counted: string, hard: unknown): number | null => {
  const read = (counted.endsWith('cpu') ? parseCpuMilli : parseBytes)(String(hard))
  return read.ok ? read.value : null
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
  if (quotas.length === 0) return []
  const gone = new Set(all.flatMap(({ leaving }) => [...leaving]))
  return quotas.flatMap((quota): readonly RawFinding[] => {
    const namespace = quota.metadata?.namespace ?? 'default'
    const hard = Object.entries(record(record((quota as WrittenObject)['spec'])['hard']))
    const asking = all.filter(
      ({ object, pods }) =>
        pods.length > 0 && (object.metadata.namespace ?? 'default') === namespace,
    )
    if (asking.length === 0) return []
    const standing = live.filter(
      (object) =>
        object.kind === 'Pod' &&
        (object.metadata?.namespace ?? 'default') === namespace &&
        !isFinished(object as unknown as PodObject) &&
        !gone.has(`${namespace}/${object.metadata?.name ?? ''}`),
    ) as unknown as readonly PodObject[]
    return hard.flatMap(([counted, value]): readonly RawFinding[] => {
      const limit = limitOf(counted, value)
      if (limit === null) return []
      let used = standing.reduce((sum, pod) => sum + (takenBy(pod, counted) ?? 0), 0)
      return asking.flatMap((wanted): readonly RawFinding[] => {
        const each = takenBy(wanted.pods[0] as PodObject, counted)
        const rule = `quota.${objectKey(wanted.object)}.${quota.metadata?.name ?? ''}.${counted}`
        const because = [
          {
            ...said('quota-counted', {
              quota: `${namespace}/${quota.metadata?.name ?? ''}`,
              counted,
              hard: String(value),
            }),
            source: cluster.name,
            at: cluster.observedAt,
          },
        ]
        if (each === null)
          return [
            {
              level: 'stop',
              rule,
              field: 'text',
              ...said('quota-needs', {
                objectText: objectText(wanted.object),
                counted,
                quota: quota.metadata?.name ?? '',
              }),
              because,
            },
          ]
        const room = each === 0 ? wanted.pods.length : Math.floor((limit - used) / each)
        const fits = Math.max(0, Math.min(wanted.pods.length, room))
        used += fits * each
        if (fits === wanted.pods.length) return []
        const fewer = wanted.staying + fits
        const text =
          wanted.numberAt !== null && fewer > 0
            ? textWith(intent.text, wanted.object, wanted.numberAt, fewer)
            : null
        return [
          {
            level: 'caution',
            rule,
            field: 'text',
            ...said('quota-full', {
              objectText: objectText(wanted.object),
              pods: wanted.staying + wanted.pods.length,
              fits: fewer,
              counted,
              hard: String(value),
              quota: listText([`${namespace}/${quota.metadata?.name ?? ''}`]),
            }),
            because,
            ...(text === null
              ? {}
              : {
                  offers: [
                    {
                      says: `Run ${fewer} of them`,
                      change: {
                        patchDraft: [{ op: 'replace' as const, path: '/text', value: text }],
                      },
                    },
                  ],
                }),
          },
        ]
      })
    })
  })
}
