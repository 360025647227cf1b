/** Ingresses: what they call their backends, and how their paths are matched. */
import { isScalar, type YAMLMap } from 'yaml'
import type { Conversion } from './conversion'
import { fresh, type Fresh } from './fresh'
import { said } from './says'

const className = 'kubernetes.io/ingress.class'

/** The port of a backend: its number, also where it is written as a text of digits, else its name. */
function portOf(conversion: Conversion, backend: YAMLMap): readonly Fresh[] {
  const node = conversion.scalar(backend, 'servicePort')
  const [taken] = conversion.taken(backend, 'servicePort', 'name')
  if (!node || !taken) return []
  const isNumber =
    typeof node.value === 'number' || (typeof node.value === 'string' && /^\d+$/.test(node.value))
  if (!isNumber) return [fresh('port', [taken])]
  if (typeof node.value === 'string')
    conversion.editor.replaceBare(node, String(Number(node.value)))
  return [fresh('port', [{ ...taken, key: 'number' }])]
}

function convertBackend(conversion: Conversion, backend: YAMLMap, path: string): void {
  const hasName = !conversion.isAbsent(backend, 'serviceName')
  const hasPort = !conversion.isAbsent(backend, 'servicePort')
  if (!hasName && !hasPort) return
  const edited = conversion.editor.map(backend)
  const name = conversion.taken(backend, 'serviceName', 'name')
  const port = portOf(conversion, backend)
  edited.replace(['serviceName', 'servicePort'], fresh('service', [...name, ...port]))
  if (hasName)
    conversion.note(
      `${path}.serviceName`,
      said('moved', { from: 'serviceName', to: 'service.name' }),
    )
  if (hasPort)
    conversion.note(
      `${path}.servicePort`,
      said('moved', {
        from: 'servicePort',
        to: `service.port.${port.length > 0 && isNumbered(port) ? 'number' : 'name'}`,
      }),
    )
}

const isNumbered = ([port]: readonly Fresh[]): boolean =>
  Array.isArray(port?.value) && (port.value as readonly Fresh[])[0]?.key === 'number'

function convertRule(conversion: Conversion, rule: YAMLMap, path: string): void {
  const http = conversion.mapAt(rule, 'http', `${path}.http`)
  if (!http) return
  for (const each of conversion.mapsAt(http, 'paths', `${path}.http.paths`)) {
    const backend = conversion.mapAt(each.map, 'backend', `${each.path}.backend`)
    if (backend) convertBackend(conversion, backend, `${each.path}.backend`)
    if (!conversion.isAbsent(each.map, 'pathType')) continue
    const edited = conversion.editor.map(each.map)
    const entry = fresh('pathType', 'ImplementationSpecific')
    if (each.map.get('path', true) === undefined) edited.addFirst(entry)
    else edited.add(entry, 'path')
    conversion.note(
      `${each.path}.pathType`,
      said('needed', { text: 'pathType: ImplementationSpecific' }),
    )
  }
}

/** To `networking.k8s.io/v1`. */
export function convertIngress(conversion: Conversion): void {
  const { root } = conversion
  const metadata = conversion.node(root, 'metadata')
  const annotations = conversion.value(root, 'metadata') as {
    readonly annotations?: Readonly<Record<string, unknown>> | null
  } | null
  if (!isScalar(metadata) && annotations?.annotations?.[className] !== undefined)
    conversion.note(`metadata.annotations.${className}`, said('kept', { field: className }))
  const spec = conversion.mapAt(root, 'spec', 'spec')
  if (!spec) return
  const backend = conversion.mapAt(spec, 'backend', 'spec.backend')
  if (backend) {
    convertBackend(conversion, backend, 'spec.backend')
    conversion.rename(spec, 'spec', 'backend', 'defaultBackend')
  } else if (spec.get('backend', true) !== undefined)
    conversion.rename(spec, 'spec', 'backend', 'defaultBackend')
  for (const rule of conversion.mapsAt(spec, 'rules', 'spec.rules'))
    convertRule(conversion, rule.map, rule.path)
}
