/** What the API of this cluster, as it is now, would refuse or leave idle: versions, fields that stand, ports, allowances. */
import { type RawFinding, stop } from '../changes'
import { type ClusterView, type FleetView, listedObjects } from '../fleet'
import { asText, isRecord, list, record, type ApiObject } from '../objects'
import { listText, parseBytes, parseCpuMilli } from '../units'
import { type ApplyIntent, liveObjects, shown } from './apply-intent'
import type { ObjectChange } from './diff'
import { immutableChanges } from './immutable'
import { objectKey, objectText, type WrittenObject } from './parse'
import { templateOf } from './references'
import { notYetAt, removedAt } from './removed'
import { said } from './says'

/** A version that this cluster’s release does not serve any more, or not yet. */
export function servedFindings(
  object: WrittenObject,
  line: number,
  cluster: ClusterView,
): readonly RawFinding[] {
  const { release } = cluster
  const { apiVersion, kind } = object
  const because = [
    {
      ...said('cluster-release', { release }),
      source: cluster.name,
      at: cluster.observedAt,
    },
  ]
  const at = { objectText: objectText(object), line, apiVersion, release }
  const removed = removedAt(apiVersion, kind, release)
  if (removed)
    return [
      stop(
        `version.${objectKey(object)}`,
        'text',
        said('version-removed', {
          ...at,
          removedIn: removed.removal.removedIn,
          successor: removed.successorIsServed ? removed.removal.successor : null,
        }),
        because,
      ),
    ]
  const since = notYetAt(apiVersion, kind, release)
  return since === null
    ? []
    : [
        stop(
          `version.${objectKey(object)}`,
          'text',
          said('version-later', { ...at, since }),
          because,
        ),
      ]
}

/** Changes of fields that the API lets nobody change. */
export function immutableFindings(
  intent: ApplyIntent,
  changes: readonly ObjectChange[],
  view: FleetView,
): readonly RawFinding[] {
  const live = liveObjects(view, intent.cluster)
  return changes.flatMap((change): readonly RawFinding[] => {
    const before = live.get(change.key)
    if (change.kind !== 'change' || !isRecord(before)) return []
    const findings = immutableChanges(change.object, before, change.fields).map(
      ({ path, live: value, wanted }): RawFinding =>
        stop(
          `immutable.${change.key}.${path}`,
          'text',
          said('immutable', {
            objectText: objectText(change.object),
            path,
            live: shown(value),
            wanted: shown(wanted),
          }),
          [{ ...said('field-of-live', { path }), source: intent.cluster }],
        ),
    )
    const size = change.fields.find(({ path }) => path === '/spec/resources/requests/storage')
    const [had, wants] = [size?.live, size?.wanted].map((text) => parseBytes(asText(text)))
    const shrinks =
      change.object.kind === 'PersistentVolumeClaim' &&
      had?.ok === true &&
      wants?.ok === true &&
      wants.value < had.value
    return shrinks && size
      ? [
          ...findings,
          stop(
            `shrinks.${change.key}`,
            'text',
            said('claim-shrinks', {
              objectText: objectText(change.object),
              live: asText(size.live),
              wanted: asText(size.wanted),
            }),
            [{ ...said('field-of-live', { path: size.path }), source: intent.cluster }],
          ),
        ]
      : findings
  })
}

interface NodePort {
  readonly port: number
  readonly protocol: string
}

const nodePortsOf = (object: { readonly [field: string]: unknown }): readonly NodePort[] =>
  list(record(object['spec'])['ports']).flatMap((entry): readonly NodePort[] => {
    const { nodePort, protocol } = record(entry)
    return typeof nodePort === 'number' && nodePort > 0
      ? [{ port: nodePort, protocol: asText(protocol ?? 'TCP') }]
      : []
  })

const isSelected = (selector: Readonly<Record<string, unknown>>, labels: unknown): boolean =>
  Object.entries(selector).every(([key, value]) => record(labels)[key] === value)

/** Ports of nodes that another service has, and services that select no pod. */
export function serviceFindings(
  intent: ApplyIntent,
  objects: readonly WrittenObject[],
  cluster: ClusterView,
  view: FleetView,
): readonly RawFinding[] {
  const live = listedObjects(view, intent.cluster)
  const written = new Set(objects.map(objectKey))
  const others: readonly (ApiObject | WrittenObject)[] = [
    ...live.filter((object) => object.kind === 'Service' && !written.has(objectKey(object))),
    ...objects.filter((object) => object.kind === 'Service'),
  ]
  const labelsThere = (namespace: string): readonly unknown[] => [
    ...live
      .filter(
        (object) =>
          object.kind === 'Pod' && (object.metadata?.namespace ?? 'default') === namespace,
      )
      .map((object) => record(object.metadata)['labels']),
    ...objects
      .filter((object) => (object.metadata.namespace ?? 'default') === namespace)
      .map((object) =>
        object.kind === 'Pod'
          ? object.metadata.labels
          : record(templateOf(object)?.template['metadata'])['labels'],
      ),
  ]
  const findings: RawFinding[] = []
  for (const object of objects) {
    if (object.kind !== 'Service') continue
    for (const { port, protocol } of nodePortsOf(object)) {
      const holder = others.find(
        (candidate) =>
          objectKey(candidate) !== objectKey(object) &&
          nodePortsOf(candidate as Readonly<Record<string, unknown>>).some(
            (taken) => taken.port === port && taken.protocol === protocol,
          ),
      )
      if (holder)
        findings.push(
          stop(
            `node-port.${objectKey(object)}.${port}`,
            'text',
            said('node-port-taken', {
              objectText: objectText(object),
              port,
              holder: objectText(holder as WrittenObject),
            }),
            [
              {
                ...said('services-compared', { services: others.length }),
                source: cluster.name,
                at: cluster.observedAt,
              },
            ],
          ),
        )
    }
    const selector = record(record(object['spec'])['selector'])
    const namespace = object.metadata.namespace ?? 'default'
    if (
      Object.keys(selector).length > 0 &&
      !labelsThere(namespace).some((labels) => isSelected(selector, labels))
    )
      findings.push({
        level: 'note',
        rule: `selects.${objectKey(object)}`,
        field: 'text',
        ...said('service-alone', { objectText: objectText(object) }),
        because: [
          {
            ...said('services-compared', { services: others.length }),
            source: cluster.name,
            at: cluster.observedAt,
          },
        ],
      })
  }
  return findings
}

const sizeOf = (resource: string, text: unknown): number | null => {
  if (text === undefined || text === null) return null
  const read = (resource.endsWith('cpu') ? parseCpuMilli : parseBytes)(asText(text))
  return read.ok ? read.value : null
}

/** What the limit ranges of a namespace refuse, and pods that wait behind gates. */
export function limitFindings(
  intent: ApplyIntent,
  objects: readonly WrittenObject[],
  cluster: ClusterView,
  view: FleetView,
): readonly RawFinding[] {
  const written = new Set(objects.map(objectKey))
  const ranges = [
    ...listedObjects(view, intent.cluster).filter(
      (object) => object.kind === 'LimitRange' && !written.has(objectKey(object)),
    ),
    ...objects.filter((object) => object.kind === 'LimitRange'),
  ]
  const findings: RawFinding[] = []
  for (const object of objects) {
    const template = object.kind === 'Pod' ? object : templateOf(object)?.template
    const spec = record(record(template)['spec'])
    const gates = list(spec['schedulingGates']).map((gate) => asText(record(gate)['name']))
    if (gates.length > 0)
      findings.push({
        level: 'note',
        rule: `gated.${objectKey(object)}`,
        field: 'text',
        ...said('gated', { objectText: objectText(object), gates }),
        because: [
          { ...said('field-of-live', { path: '/spec/schedulingGates' }), source: 'the text' },
        ],
      })
    const namespace = object.metadata.namespace ?? 'default'
    const own = ranges.filter((range) => (range.metadata?.namespace ?? 'default') === namespace)
    for (const container of [...list(spec['containers']), ...list(spec['initContainers'])])
      for (const range of own)
        findings.push(...rangeFindings(object, record(container), range, cluster))
  }
  return findings
}

function rangeFindings(
  object: WrittenObject,
  container: Readonly<Record<string, unknown>>,
  range: ApiObject | WrittenObject,
  cluster: ClusterView,
): readonly RawFinding[] {
  const resources = record(container['resources'])
  const rangeText = `${range.metadata?.namespace ?? 'default'}/${range.metadata?.name ?? ''}`
  return list(record((range as WrittenObject)['spec'])['limits']).flatMap(
    (entry): readonly RawFinding[] => {
      const item = record(entry)
      if (item['type'] !== 'Container') return []
      const names = new Set(
        ['min', 'max', 'default', 'defaultRequest'].flatMap((part) =>
          Object.keys(record(item[part])),
        ),
      )
      return [...names].flatMap((resource): readonly RawFinding[] => {
        const fallbackLimit = record(item['default'])[resource] ?? record(item['max'])[resource]
        const limit = record(resources['limits'])[resource] ?? fallbackLimit
        const request =
          record(resources['requests'])[resource] ??
          record(resources['limits'])[resource] ??
          record(item['defaultRequest'])[resource] ??
          fallbackLimit
        const tell = (what: 'request' | 'limit', value: unknown, rule: 'min' | 'max') => {
          const bound = record(item[rule])[resource]
          const [size, edge] = [sizeOf(resource, value), sizeOf(resource, bound)]
          if (size === null || edge === null) return []
          if (rule === 'max' ? size <= edge : size >= edge) return []
          return [
            stop(
              `range.${objectKey(object)}.${asText(container['name'])}.${resource}.${rule}`,
              'text',
              said('limit-range', {
                objectText: objectText(object),
                container: asText(container['name']),
                resource,
                what,
                value: asText(value),
                rule,
                bound: asText(bound),
                range: rangeText,
              }),
              [
                {
                  ...said('limit-range-source', { range: listText([rangeText]) }),
                  source: cluster.name,
                  at: cluster.observedAt,
                },
              ],
            ),
          ]
        }
        return [...tell('request', request, 'min'), ...tell('limit', limit, 'max')]
      })
    },
  )
}
