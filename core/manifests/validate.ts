/**
 * Objects held against the open API’s rules: types, names, quantities, label syntax, selectors that match their templates,
 * ports, percentages. Source: the Kubernetes API reference and its validation. A kind we do not know is kept and marked.
 */
import { apiGroupOf, asText, isRecord, type Json, list, record, records } from '../objects'
import { isCronZone, readCron, schemaOf, selectorTest } from '../objects'
import { parseBytes, parseCpuMilli } from '../units'
import type { WrittenObject } from './parse'
import { said } from './says'
import { quoted } from '../contract'
import { removals } from './removed'
import { schemaFaults, typeOfKind } from './schema'
import { servedAs } from './served-kinds'
import { labelKeyWrong, labelValueWrong, nameWrong } from './name-rules'
import { dnsLabel } from '../objects/dns-label'
import { partWrongs } from './part-rules'
import { valueWrong } from './values'

export interface Invalid {
  /** Below the object, like `spec.replicas`. */
  readonly path: string
  readonly says: string
  /** The API takes it, though hardly as it was meant. */
  readonly isCaution?: true
}

function labels(given: unknown, path: string): readonly Invalid[] {
  return Object.entries(record(given)).flatMap(([key, value]) => {
    const wrong = labelKeyWrong(key) ?? labelValueWrong(value)
    return wrong === null ? [] : [{ path: `${path}.${key}`, says: wrong }]
  })
}

function quantities(given: unknown, path: string): readonly Invalid[] {
  return Object.entries(record(given)).flatMap(([resource, value]) => {
    if (typeof value !== 'string' && typeof value !== 'number')
      return [{ path: `${path}.${resource}`, ...said('quantity-text-or') }]
    const read = (resource.endsWith('cpu') ? parseCpuMilli : parseBytes)(asText(value))
    return read.ok
      ? []
      : [{ path: `${path}.${resource}`, ...quoted('quantity.unreadable', read.says) }]
  })
}

const portWrong = (value: unknown): string | null =>
  typeof value === 'number' && Number.isInteger(value) && value >= 1 && value <= 65_535
    ? null
    : `${asText(value)} is no port: a whole number from 1 to 65535.`

function containers(given: unknown, path: string): readonly Invalid[] {
  const names = new Set<string>()
  return list(given).flatMap((entry, i): readonly Invalid[] => {
    const here = `${path}[${i}]`
    const container = record(entry)
    const name = typeof container['name'] === 'string' ? container['name'] : ''
    const invalids: Invalid[] = []
    if (!dnsLabel.test(name))
      invalids.push({
        path: `${here}.name`,
        ...(name === '' ? said('container-needs-name') : said('no-container-name', { name })),
      })
    if (names.has(name))
      invalids.push({ path: `${here}.name`, ...said('second-container-called', { name }) })
    names.add(name)
    if (typeof container['image'] !== 'string' || container['image'].trim() === '')
      invalids.push({ path: `${here}.image`, ...said('container-needs-image') })
    const resources = record(container['resources'])
    const requests = quantities(resources['requests'], `${here}.resources.requests`)
    const limits = quantities(resources['limits'], `${here}.resources.limits`)
    invalids.push(...requests, ...limits)
    if (requests.length + limits.length === 0) {
      for (const [resource, limit] of Object.entries(record(resources['limits']))) {
        const request = record(resources['requests'])[resource]
        const read = resource.endsWith('cpu') ? parseCpuMilli : parseBytes
        const [asked, most] = [
          request === undefined ? null : read(asText(request)),
          read(asText(limit)),
        ]
        if (asked?.ok && most.ok && asked.value > most.value)
          invalids.push({
            path: `${here}.resources.requests.${resource}`,
            ...said('asks-more-limit', { request: asText(request), limit: asText(limit) }),
          })
      }
    }
    list(container['ports']).forEach((port, p) => {
      const wrong = portWrong(record(port)['containerPort'])
      if (wrong !== null) invalids.push({ path: `${here}.ports[${p}].containerPort`, says: wrong })
    })
    return invalids
  })
}

/** `claims` are the volumes that a stateful workload makes for each of its pods. */
function podTemplate(
  given: unknown,
  path: string,
  claims: readonly unknown[] = [],
): readonly Invalid[] {
  const template = record(given)
  const spec = record(template['spec'])
  const invalids: Invalid[] = [
    ...labels(record(template['metadata'])['labels'], `${path}.metadata.labels`),
  ]
  if (list(spec['containers']).length === 0)
    invalids.push({ path: `${path}.spec.containers`, ...said('pod-needs-least') })
  invalids.push(
    ...containers(spec['containers'], `${path}.spec.containers`),
    ...containers(spec['initContainers'], `${path}.spec.initContainers`),
  )
  const volumes = new Set([
    ...list(spec['volumes']).map((volume) => record(volume)['name']),
    ...claims.map((claim) => record(record(claim)['metadata'])['name']),
  ])
  list(spec['containers']).forEach((container, c) =>
    list(record(container)['volumeMounts']).forEach((mount, m) => {
      const { name } = record(mount)
      if (!volumes.has(name))
        invalids.push({
          path: `${path}.spec.containers[${c}].volumeMounts[${m}].name`,
          ...said('there-no-volume', { name: asText(name) }),
        })
    }),
  )
  const schema = schemaOf('Pod')
  const read = schema?.safeParse({ kind: 'Pod', metadata: { name: 'x' }, spec })
  if (read && !read.success)
    for (const issue of read.error.issues.slice(0, 5))
      invalids.push({ path: `${path}.${issue.path.map(String).join('.')}`, says: issue.message })
  return invalids
}

function replicated(object: WrittenObject): readonly Invalid[] {
  const spec = record(object['spec'])
  const invalids: Invalid[] = [
    ...podTemplate(spec['template'], 'spec.template', list(spec['volumeClaimTemplates'])),
  ]
  const { replicas, selector } = spec
  if (
    replicas !== undefined &&
    replicas !== null &&
    (typeof replicas !== 'number' || !Number.isInteger(replicas) || replicas < 0)
  )
    invalids.push({ path: 'spec.replicas', ...said('replicas-whole-number') })
  const empty =
    !isRecord(selector) ||
    (Object.keys(record(selector['matchLabels'])).length === 0 &&
      list(selector['matchExpressions']).length === 0)
  if (empty)
    invalids.push({
      path: 'spec.selector',
      ...said('needs-selector-finds', { kind: object.kind }),
    })
  else {
    const own = record(record(record(spec['template'])['metadata'])['labels'])
    const text = Object.fromEntries(
      Object.entries(own).filter(
        (entry): entry is [string, string] => typeof entry[1] === 'string',
      ),
    )
    try {
      if (!selectorTest(selector as Parameters<typeof selectorTest>[0])(text))
        invalids.push({
          path: 'spec.selector',
          ...said('selector-does-not'),
        })
    } catch {
      invalids.push({ path: 'spec.selector', ...said('no-selector') })
    }
  }
  if (object.kind === 'StatefulSet' && typeof spec['serviceName'] !== 'string')
    invalids.push({
      path: 'spec.serviceName',
      ...said('statefulset-names-service'),
    })
  return invalids
}

const count = (value: unknown, path: string): readonly Invalid[] =>
  value === undefined ||
  value === null ||
  (typeof value === 'number' && Number.isInteger(value) && value >= 0) ||
  (typeof value === 'string' && /^\d{1,9}%$/.test(value))
    ? []
    : [{ path, ...said('neither-whole-number', { value: asText(value) }) }]

function autoscaler(object: WrittenObject): readonly Invalid[] {
  const spec = record(object['spec'])
  const invalids: Invalid[] = []
  const { minReplicas, maxReplicas } = spec
  const min = typeof minReplicas === 'number' ? minReplicas : 1
  if (typeof maxReplicas !== 'number' || maxReplicas < 1)
    invalids.push({ path: 'spec.maxReplicas', ...said('maxreplicas-whole-number') })
  else if (maxReplicas < min)
    invalids.push({ path: 'spec.maxReplicas', ...said('below-minreplicas', { min }) })
  if (typeof record(spec['scaleTargetRef'])['name'] !== 'string')
    invalids.push({ path: 'spec.scaleTargetRef.name', ...said('autoscaler-names-what') })
  return invalids
}

function service(object: WrittenObject): readonly Invalid[] {
  const spec = record(object['spec'])
  if (spec['type'] === 'ExternalName')
    return typeof spec['externalName'] === 'string'
      ? []
      : [{ path: 'spec.externalName', ...said('needs-name-stands') }]
  const ports = list(spec['ports'])
  return [
    ...(ports.length === 0 && spec['clusterIP'] !== 'None'
      ? [{ path: 'spec.ports', ...said('service-needs-least') }]
      : []),
    ...ports.flatMap((port, i) => {
      const wrong = portWrong(record(port)['port'])
      return [
        ...(wrong === null ? [] : [{ path: `spec.ports[${i}].port`, says: wrong }]),
        ...(ports.length > 1 && typeof record(port)['name'] !== 'string'
          ? [{ path: `spec.ports[${i}].name`, ...said('several-ports-each') }]
          : []),
      ]
    }),
  ]
}

function cron(object: WrittenObject): readonly Invalid[] {
  const spec = record(object['spec'])
  const { schedule, timeZone } = spec
  const wrong: Invalid[] = []
  const read = typeof schedule === 'string' ? readCron(schedule) : null
  if (read && !read.ok) wrong.push({ path: 'spec.schedule', says: read.says })
  if (typeof timeZone === 'string' && !isCronZone(timeZone))
    wrong.push({ path: 'spec.timeZone', ...said('no-time-zone', { zone: timeZone }) })
  return [
    ...wrong,
    ...podTemplate(
      record(record(spec['jobTemplate'])['spec'])['template'],
      'spec.jobTemplate.spec.template',
    ),
  ]
}

/** Everything wrong with an object by itself; one complaint a field. */
export function invalidities(object: WrittenObject): readonly Invalid[] {
  const told = new Set<string>()
  return [...published(object), ...ruled(object)].filter(({ path }) => {
    if (told.has(path)) return false
    told.add(path)
    return true
  })
}

/** What its published schema, and the rules about values and parts of it, have against an object. */
function published(object: WrittenObject): readonly Invalid[] {
  const values: Invalid[] = []
  const parts: Invalid[] = []
  const faults = schemaFaults(
    object,
    (type, field, value, path) => {
      const wrong = valueWrong(type, field, value)
      if (wrong) values.push({ path, says: wrong.says })
    },
    (type, part, path) => {
      for (const { field, says } of partWrongs(type, part))
        parts.push({ path: [path, field].filter((step) => step !== '').join('.'), says })
    },
  )
  return [
    ...faults.map(({ path, says, kind }): Invalid =>
      kind === 'unknown' ? { path, says, isCaution: true } : { path, says },
    ),
    ...values,
    ...parts,
  ]
}

const ownGroups = new Set(Object.values(servedAs).map(apiGroupOf))

/** Whether a version is one that never served the kind: where it is published, or was and is gone, others say so. */
function servedElsewhere({ kind, apiVersion }: WrittenObject): string | null {
  const served = Object.hasOwn(servedAs, kind) ? servedAs[kind] : undefined
  if (served === undefined || served === apiVersion) return null
  if (typeOfKind(apiVersion, kind) !== null) return null
  const wasServed = removals.some(
    (removal) => removal.apiVersion === apiVersion && removal.kinds.includes(kind),
  )
  const group = apiGroupOf(apiVersion)
  return !wasServed && (group === apiGroupOf(served) || ownGroups.has(group)) ? served : null
}

function budget(spec: Json): readonly Invalid[] {
  const { minAvailable, maxUnavailable } = spec
  const both = minAvailable !== undefined && maxUnavailable !== undefined
  return [
    ...count(minAvailable, 'spec.minAvailable'),
    ...count(maxUnavailable, 'spec.maxUnavailable'),
    ...(both ? [{ path: 'spec.maxUnavailable', ...said('budget-says-either') }] : []),
  ]
}

const limitRange = (spec: Json): readonly Invalid[] =>
  records(spec['limits']).flatMap((limit, i) =>
    ['max', 'min', 'default', 'defaultRequest'].flatMap((part) =>
      quantities(limit[part], `spec.limits[${i}].${part}`),
    ),
  )

const highestPriority = 1_000_000_000

const priority = ({ value }: Json): readonly Invalid[] =>
  typeof value === 'number' && Math.abs(value) <= highestPriority
    ? []
    : [{ path: 'value', ...said('priority-whole-number') }]

/** What the rules of its kind have against an object. */
function ruledByKind(object: WrittenObject): readonly Invalid[] {
  const spec = record(object['spec'])
  switch (object.kind) {
    case 'Deployment':
    case 'StatefulSet':
    case 'DaemonSet':
    case 'ReplicaSet':
      return replicated(object)
    case 'Job':
      return podTemplate(spec['template'], 'spec.template')
    case 'CronJob':
      return cron(object)
    case 'Pod':
      return podTemplate(object, '').map((invalid) => ({
        ...invalid,
        path: invalid.path.replace(/^\./, ''),
      }))
    case 'Service':
      return service(object)
    case 'HorizontalPodAutoscaler':
      return autoscaler(object)
    case 'PodDisruptionBudget':
      return budget(spec)
    case 'ResourceQuota':
      return quantities(spec['hard'], 'spec.hard')
    case 'LimitRange':
      return limitRange(spec)
    case 'PersistentVolumeClaim':
      return quantities(record(record(spec['resources'])['requests']), 'spec.resources.requests')
    case 'PriorityClass':
      return priority(object)
    default:
      return []
  }
}

/** What the rules that no schema tells have against an object: names, labels, the version, and those of its kind. */
function ruled(object: WrittenObject): readonly Invalid[] {
  const { kind, apiVersion } = object
  const { name, namespace, labels: given } = object.metadata
  const invalids: Invalid[] = []
  const wrongName = nameWrong(kind, name)
  if (wrongName !== null) invalids.push({ path: 'metadata.name', says: wrongName })
  if (namespace !== undefined && !dnsLabel.test(namespace))
    invalids.push({ path: 'metadata.namespace', ...said('no-namespace-small', { namespace }) })
  invalids.push(...labels(given, 'metadata.labels'))
  const served = servedElsewhere(object)
  if (served !== null)
    invalids.push({ path: 'apiVersion', ...said('served-not', { kind, served, apiVersion }) })
  return [...invalids, ...ruledByKind(object)]
}
