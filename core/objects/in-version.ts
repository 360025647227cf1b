/**
 * An object that a cluster keeps, as another version of its API has it. Most versions of a kind differ by name alone; what
 * autoscalers measure, and where endpoints are, was written otherwise before. Source: the Kubernetes API reference.
 */
import { asText, isRecord, type Json, list, record } from './json'

const flat = 'autoscaling/v2beta1'

const without = (object: Json, fields: readonly string[]): Json =>
  Object.fromEntries(Object.entries(object).filter(([field]) => !fields.includes(field)))

const given = (fields: Json): Json =>
  Object.fromEntries(Object.entries(fields).filter(([, value]) => value !== undefined))

/** How the two ways of writing a metric name its parts. */
interface MetricForm {
  /** The field of the selector where the name stands beside it. */
  readonly selector?: string
  /** The field that says what a metric is about, before and after. */
  readonly about?: readonly [flat: string, nested: string]
  /** What it aims at: the field before, and the type and field after; the first that is there counts. */
  readonly aims: readonly (readonly [flat: string, type: string, nested: string])[]
}

const utilization = ['targetAverageUtilization', 'Utilization', 'averageUtilization'] as const
const average = ['targetAverageValue', 'AverageValue', 'averageValue'] as const
const value = ['targetValue', 'Value', 'value'] as const

const metricForms: Readonly<Record<string, MetricForm>> = {
  resource: { aims: [utilization, average] },
  containerResource: { aims: [utilization, average] },
  pods: { selector: 'selector', aims: [average] },
  object: {
    selector: 'selector',
    about: ['target', 'describedObject'],
    aims: [['averageValue', 'AverageValue', 'averageValue'], value],
  },
  external: { selector: 'metricSelector', aims: [average, value] },
}

function nested(part: Json, { selector, about, aims }: MetricForm): Json {
  const aim = aims.find(([field]) => part[field] !== undefined)
  const gone = ['metricName', selector ?? '', about?.[0] ?? '', ...aims.map(([field]) => field)]
  return {
    ...without(part, gone),
    ...(about ? given({ [about[1]]: part[about[0]] }) : {}),
    ...(selector === undefined
      ? {}
      : { metric: given({ name: part['metricName'], selector: part[selector] }) }),
    ...(aim ? { target: { type: aim[1], [aim[2]]: part[aim[0]] } } : {}),
  }
}

function flattened(part: Json, { selector, about, aims }: MetricForm): Json {
  const target = record(part['target'])
  const aim = aims.find(([, , field]) => target[field] !== undefined)
  const metric = record(part['metric'])
  return {
    ...without(part, ['metric', 'target', about?.[1] ?? '']),
    ...(about ? given({ [about[0]]: part[about[1]] }) : {}),
    ...(selector === undefined
      ? {}
      : given({ metricName: metric['name'], [selector]: metric['selector'] })),
    ...(aim ? { [aim[0]]: target[aim[2]] } : {}),
  }
}

const writtenAs = (change: typeof nested) => (metric: unknown) =>
  Object.fromEntries(
    Object.entries(record(metric)).map(([field, part]) => {
      const form = metricForms[field]
      return [field, form && isRecord(part) ? change(part, form) : part]
    }),
  )

function autoscaler(object: Json, apiVersion: string): Json {
  const spec = record(object['spec'])
  const isFlat = object['apiVersion'] === flat
  if (isFlat === (apiVersion === flat) || spec['metrics'] === undefined) return object
  const metrics = list(spec['metrics']).map(writtenAs(isFlat ? nested : flattened))
  return { ...object, spec: { ...spec, metrics } }
}

const places = [
  ['nodeName', 'kubernetes.io/hostname'],
  ['zone', 'topology.kubernetes.io/zone'],
] as const

function endpointPlace(endpoint: Json, isLater: boolean): Json {
  const topology = record(endpoint['topology'])
  if (isLater)
    return {
      ...given(Object.fromEntries(places.map(([field, key]) => [field, topology[key]]))),
      ...without(endpoint, ['topology']),
    }
  const told = given(Object.fromEntries(places.map(([field, key]) => [key, endpoint[field]])))
  return {
    ...without(endpoint, ['zone']),
    ...(Object.keys(told).length > 0 ? { topology: { ...told, ...topology } } : {}),
  }
}

function endpointSlice(object: Json, apiVersion: string): Json {
  const isLater = apiVersion === 'discovery.k8s.io/v1'
  const endpoints = list(object['endpoints']).map((entry) => endpointPlace(record(entry), isLater))
  return object['endpoints'] === undefined ? object : { ...object, endpoints }
}

const changes: Readonly<Record<string, (object: Json, apiVersion: string) => Json>> = {
  HorizontalPodAutoscaler: autoscaler,
  EndpointSlice: endpointSlice,
}

/** An object as a version of its API has it; the object itself where it is of that version. O(object). */
export function inVersion(object: Json, apiVersion: string): Json {
  if (object['apiVersion'] === apiVersion) return object
  const change = changes[asText(object['kind'])]
  return { ...(change ? change(object, apiVersion) : object), apiVersion }
}
