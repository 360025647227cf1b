/** The pods that a text would have a cluster run: how many more, with which specs, and which go for them. */
import {
  type ApiObject,
  asText,
  isOfKind,
  isRecord,
  type Json,
  list,
  type PodObject,
  podsOfWorkload,
  record,
} from '../objects'
import { rolling } from './apply-intent'
import type { ObjectChange } from './diff'
import { objectKey, type WrittenObject } from './parse'
import { templateOf } from './references'

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

export const podKeyOf = (pod: PodObject): string =>
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
  const pod: unknown = {
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
  }
  if (!isOfKind(pod, 'Pod')) throw new Error('a pod is made as one')
  return pod
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
  const existing = podsOfWorkload(live, nameOf(object)).filter(isStanding)
  const isNew =
    change === null ||
    change.kind === 'make' ||
    change.fields.some(({ path }) => path.startsWith('/spec/template'))
  const numberAt = object.kind === 'Job' ? ['spec', 'parallelism'] : ['spec', 'replicas']
  const count =
    object.kind === 'Pod' || object.kind === 'DaemonSet'
      ? 1
      : wholeNumber(spec[numberAt[1] ?? ''], 1)
  const staying = isNew ? 0 : Math.min(existing.length, count)
  const defaults = defaultsIn(object.metadata.namespace ?? 'default', live, after)
  return {
    object,
    numberAt: object.kind === 'Pod' || object.kind === 'DaemonSet' ? null : numberAt,
    pods: Array.from({ length: Math.min(mostTried, count - staying) }, (_, i) =>
      podOf(object, template, `${object.metadata.name}-${staying + i}`, defaults),
    ),
    staying,
    leaving: new Set(isNew ? existing.map(podKeyOf) : []),
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
    kind: asText(target['kind']),
    metadata: { name: asText(target['name']), namespace: scaler.metadata.namespace },
  })
  const object =
    after.find((candidate) => objectKey(candidate) === key) ??
    live.find((candidate) => objectKey(candidate) === key)
  const template = object ? templateOf(object as WrittenObject)?.template : undefined
  if (!object || !template) return null
  const existing = podsOfWorkload(live, nameOf(object as WrittenObject)).filter(isStanding)
  const maxReplicas = wholeNumber(spec['maxReplicas'], 0)
  return {
    object: scaler,
    numberAt: ['spec', 'maxReplicas'],
    pods: Array.from(
      { length: Math.min(mostTried, Math.max(0, maxReplicas - existing.length)) },
      (_, i) =>
        podOf(
          object as WrittenObject,
          template,
          `${object.metadata?.name ?? ''}-${existing.length + i}`,
          defaultsIn(object.metadata?.namespace ?? 'default', live, after),
        ),
    ),
    staying: Math.min(existing.length, maxReplicas),
    leaving: new Set(),
    isDaemon: false,
  }
}
