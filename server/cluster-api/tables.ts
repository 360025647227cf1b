/** Lists as tables: what a client prints of each object. Source: the Kubernetes API reference, meta/v1 Table. */
import { list, record, text } from '~/core/objects'

type Json = Readonly<Record<string, unknown>>

interface Column {
  readonly name: string
  readonly type: 'string' | 'integer' | 'date'
  readonly format?: string
  readonly cell: (object: Json, now: number) => string | number
}

const nameColumn: Column = {
  name: 'Name',
  type: 'string',
  format: 'name',
  cell: (object) => text(record(object['metadata'])['name']),
}

/** How long ago, as clients write it: two parts at most, the smaller one only while it says something. */
function ageText(seconds: number): string {
  if (seconds < 0) return '<invalid>'
  if (seconds < 120) return `${Math.floor(seconds)}s`
  const minutes = Math.floor(seconds / 60)
  if (minutes < 10)
    return seconds % 60 < 1 ? `${minutes}m` : `${minutes}m${Math.floor(seconds % 60)}s`
  if (minutes < 180) return `${minutes}m`
  const hours = Math.floor(minutes / 60)
  if (hours < 8) return minutes % 60 === 0 ? `${hours}h` : `${hours}h${minutes % 60}m`
  if (hours < 48) return `${hours}h`
  const days = Math.floor(hours / 24)
  if (days < 8) return hours % 24 === 0 ? `${days}d` : `${days}d${hours % 24}h`
  return days < 730
    ? `${days}d`
    : `${Math.floor(days / 365)}y${days % 365 === 0 ? '' : `${days % 365}d`}`
}

const ageColumn: Column = {
  name: 'Age',
  type: 'string',
  cell: (object, now) => {
    const created = Date.parse(text(record(object['metadata'])['creationTimestamp']))
    return Number.isNaN(created) ? '<unknown>' : ageText((now - created) / 1000)
  },
}

const column = (
  name: string,
  type: Column['type'],
  cell: (object: Json) => string | number,
): Column => ({
  name,
  type,
  cell,
})
const statusOf = (object: Json): Json => record(object['status'])
const specOf = (object: Json): Json => record(object['spec'])
const count = (value: unknown): number => (typeof value === 'number' ? value : 0)

function nodeState(node: Json): string {
  const ready = list(statusOf(node)['conditions'])
    .map(record)
    .find((condition) => condition['type'] === 'Ready')
  const states: Readonly<Record<string, string>> = { True: 'Ready', False: 'NotReady' }
  const state = ready ? (states[text(ready['status'])] ?? 'NotReady') : 'Unknown'
  return specOf(node)['unschedulable'] === true ? `${state},SchedulingDisabled` : state
}

const rolePrefix = 'node-role.kubernetes.io/'
const roles = (node: Json): string =>
  Object.keys(record(record(node['metadata'])['labels']))
    .filter((label) => label.startsWith(rolePrefix) && label.length > rolePrefix.length)
    .map((label) => label.slice(rolePrefix.length))
    .sort()
    .join(',') || '<none>'

const containersOf = (pod: Json): readonly Json[] =>
  list(statusOf(pod)['containerStatuses']).map(record)

function podState(pod: Json): string {
  if (record(pod['metadata'])['deletionTimestamp'] !== undefined) return 'Terminating'
  for (const container of containersOf(pod)) {
    const state = record(container['state'])
    const reason =
      text(record(state['waiting'])['reason']) || text(record(state['terminated'])['reason'])
    if (reason !== '') return reason
  }
  return text(statusOf(pod)['phase']) || 'Unknown'
}

const columns: Readonly<Record<string, readonly Column[]>> = {
  Node: [
    column('Status', 'string', nodeState),
    column('Roles', 'string', roles),
    ageColumn,
    column('Version', 'string', (node) =>
      text(record(statusOf(node)['nodeInfo'])['kubeletVersion']),
    ),
  ],
  Pod: [
    column('Ready', 'string', (pod) => {
      const ready = containersOf(pod).filter((container) => container['ready'] === true)
      return `${ready.length}/${list(specOf(pod)['containers']).length}`
    }),
    column('Status', 'string', podState),
    column('Restarts', 'string', (pod) =>
      String(
        containersOf(pod).reduce((sum, container) => sum + count(container['restartCount']), 0),
      ),
    ),
    ageColumn,
  ],
  Deployment: [
    column('Ready', 'string', (deployment) => {
      const wanted = specOf(deployment)['replicas']
      return `${count(statusOf(deployment)['readyReplicas'])}/${typeof wanted === 'number' ? wanted : 1}`
    }),
    column('Up-to-date', 'integer', (deployment) => count(statusOf(deployment)['updatedReplicas'])),
    column('Available', 'integer', (deployment) =>
      count(statusOf(deployment)['availableReplicas']),
    ),
    ageColumn,
  ],
}

export type Included = 'Metadata' | 'Object' | 'None'

/** An object with its metadata alone. */
export const metadataOf = (object: Json): Json => ({
  kind: 'PartialObjectMetadata',
  apiVersion: 'meta.k8s.io/v1',
  metadata: object['metadata'],
})

/** Objects of a kind as a table; `now` is the cluster’s time in ms. */
export function tableOf(
  kind: string,
  objects: readonly Json[],
  metadata: Json,
  { now, included }: { readonly now: number; readonly included: Included },
): Json {
  const shown = [nameColumn, ...(columns[kind] ?? [ageColumn])]
  return {
    kind: 'Table',
    apiVersion: 'meta.k8s.io/v1',
    metadata,
    columnDefinitions: shown.map(({ name, type, format }) => ({
      name,
      type,
      format: format ?? '',
      description: '',
      priority: 0,
    })),
    rows: objects.map((object) => ({
      cells: shown.map((each) => each.cell(object, now)),
      ...(included === 'None'
        ? {}
        : { object: included === 'Object' ? object : metadataOf(object) }),
    })),
  }
}
