/** Horizontal pod autoscalers of autoscaling/v2beta1: what each metric is measured by, and what it aims at. */
import type { YAMLMap } from 'yaml'
import type { Conversion } from './conversion'
import { fresh, type Fresh } from './fresh'
import { said } from './says'

interface Part {
  readonly conversion: Conversion
  readonly map: YAMLMap
  readonly path: string
}

/** What a metric aims at, by the fields that say it: the first that is there wins, the others go. */
function aims(
  { conversion, map, path }: Part,
  fields: readonly (readonly [field: string, type: string, as: string])[],
): void {
  const present = fields.filter(([field]) => !conversion.isAbsent(map, field))
  const [first] = present
  if (!first) return
  const [field, type, as] = first
  const target: readonly Fresh[] = [fresh('type', type), ...conversion.taken(map, field, as)]
  conversion.editor.map(map).replace(
    present.map(([name]) => name),
    fresh('target', target),
  )
  for (const [name] of present)
    conversion.note(`${path}.${name}`, said('moved', { from: name, to: `target.${as}` }))
}

/** By what it is measured: `metricName` with its selector becomes `metric`. */
function metric({ conversion, map, path }: Part, selector: string): void {
  const name = conversion.taken(map, 'metricName', 'name')
  const by = conversion.taken(map, selector, 'selector')
  if (name.length + by.length === 0) return
  conversion.editor.map(map).replace(['metricName', selector], fresh('metric', [...name, ...by]))
  if (name.length > 0)
    conversion.note(`${path}.metricName`, said('moved', { from: 'metricName', to: 'metric.name' }))
  if (by.length > 0)
    conversion.note(`${path}.${selector}`, said('moved', { from: selector, to: 'metric.selector' }))
}

const average = ['targetAverageValue', 'AverageValue', 'averageValue'] as const

const parts: Readonly<Record<string, (part: Part) => void>> = {
  resource: (part) =>
    aims(part, [['targetAverageUtilization', 'Utilization', 'averageUtilization'], average]),
  containerResource: (part) =>
    aims(part, [['targetAverageUtilization', 'Utilization', 'averageUtilization'], average]),
  pods: (part) => {
    metric(part, 'selector')
    aims(part, [average])
  },
  object: (part) => {
    const { conversion, map, path } = part
    // What it is about was called target, and makes room for what it aims at.
    if (!conversion.isAbsent(map, 'target'))
      conversion.rename(map, path, 'target', 'describedObject')
    metric(part, 'selector')
    aims(part, [
      ['averageValue', 'AverageValue', 'averageValue'],
      ['targetValue', 'Value', 'value'],
    ])
  },
  external: (part) => {
    metric(part, 'metricSelector')
    aims(part, [average, ['targetValue', 'Value', 'value']])
  },
}

/** From `autoscaling/v2beta1` to `autoscaling/v2`. */
export function convertAutoscaler(conversion: Conversion): void {
  const { root } = conversion
  if (root.get('status', true) !== undefined) {
    conversion.editor.map(root).remove('status')
    conversion.note('status', said('gone', { field: 'status' }))
  }
  const spec = conversion.mapAt(root, 'spec', 'spec')
  if (!spec) return
  for (const each of conversion.mapsAt(spec, 'metrics', 'spec.metrics'))
    for (const [field, convert] of Object.entries(parts)) {
      const path = `${each.path}.${field}`
      const map = conversion.mapAt(each.map, field, path)
      if (map) convert({ conversion, map, path })
    }
}
