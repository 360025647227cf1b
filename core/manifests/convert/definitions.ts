/** Custom resource definitions: what was said once for all versions is said for each. */
import { isMap, type YAMLMap } from 'yaml'
import type { Conversion } from './conversion'
import { type Fresh, fresh } from './fresh'
import { said } from './says'

const preserve = 'x-kubernetes-preserve-unknown-fields'
const shared = ['validation', 'subresources', 'additionalPrinterColumns'] as const

interface Version {
  readonly map: YAMLMap
  readonly path: string
}

function columns(conversion: Conversion, map: YAMLMap, path: string): void {
  const here = `${path}.additionalPrinterColumns`
  for (const column of conversion.mapsAt(map, 'additionalPrinterColumns', here))
    if (column.map.get('JSONPath', true) !== undefined)
      conversion.rename(column.map, column.path, 'JSONPath', 'jsonPath')
}

const nameOf = (conversion: Conversion, map: YAMLMap): string => conversion.text(map, 'name') ?? '?'

/** The schema of a version: its own, or the one of all. */
function schemaOf(conversion: Conversion, spec: YAMLMap, version: YAMLMap | null) {
  const own = version && conversion.mapAt(version, 'schema', 'spec.versions.schema')
  const ownRoot = own && conversion.mapAt(own, 'openAPIV3Schema', 'schema.openAPIV3Schema')
  if (ownRoot) return ownRoot
  const all = conversion.mapAt(spec, 'validation', 'spec.validation')
  return all && conversion.mapAt(all, 'openAPIV3Schema', 'spec.validation.openAPIV3Schema')
}

/** What a schema leaves to a person. */
function judgeSchema(conversion: Conversion, schema: YAMLMap | null, version: string): void {
  if (!schema) conversion.ask(said('schema-none', { version }))
  else if (conversion.text(schema, 'type') !== 'object')
    conversion.ask(said('schema-root', { version }))
}

/** Marks a schema whose objects keep fields that it does not name. */
function keepsUnknown(conversion: Conversion, schemas: ReadonlySet<YAMLMap>): void {
  for (const schema of schemas)
    if (conversion.isAbsent(schema, preserve)) {
      conversion.editor.map(schema).add(fresh(preserve, true))
      conversion.note(
        `spec.versions.schema.openAPIV3Schema.${preserve}`,
        said('written', { text: `${preserve}: true` }),
      )
    }
}

/** What all versions shared, as each of them has it from now on. */
function sharedEntries(conversion: Conversion, spec: YAMLMap): readonly Fresh[] {
  return shared.flatMap((key) => {
    if (conversion.isAbsent(spec, key)) return []
    const entries = conversion.taken(spec, key, key === 'validation' ? 'schema' : key)
    conversion.note(
      `spec.${key}`,
      said('moved', { from: key, to: `spec.versions.${key === 'validation' ? 'schema' : key}` }),
    )
    return entries
  })
}

function convertConversion(conversion: Conversion, spec: YAMLMap): void {
  const path = 'spec.conversion'
  const map = conversion.mapAt(spec, 'conversion', path)
  if (!map) return
  const isWebhook = conversion.text(map, 'strategy') === 'Webhook'
  const client = conversion.taken(map, 'webhookClientConfig', 'clientConfig')
  const reviews = conversion.taken(map, 'conversionReviewVersions', 'conversionReviewVersions')
  if (client.length + reviews.length === 0 && !isWebhook) return
  conversion.editor
    .map(map)
    .replace(
      ['webhookClientConfig', 'conversionReviewVersions'],
      fresh('webhook', [
        ...client,
        ...(reviews.length > 0
          ? reviews
          : [fresh('conversionReviewVersions', { words: ['v1beta1'] })]),
      ]),
    )
  if (client.length > 0)
    conversion.note(
      `${path}.webhookClientConfig`,
      said('moved', { from: 'webhookClientConfig', to: 'webhook.clientConfig' }),
    )
  conversion.note(
    `${path}.conversionReviewVersions`,
    reviews.length > 0
      ? said('moved', {
          from: 'conversionReviewVersions',
          to: 'webhook.conversionReviewVersions',
        })
      : said('written', { text: 'conversionReviewVersions: [v1beta1]' }),
  )
}

/** A definition with `version` alone gets its list of versions. */
function oneVersion(conversion: Conversion, spec: YAMLMap, entries: readonly Fresh[]): void {
  const [name] = conversion.taken(spec, 'version', 'name')
  if (!name) return
  conversion.editor.map(spec).replace(
    ['version'],
    fresh('versions', {
      items: [[name, fresh('served', true), fresh('storage', true), ...entries]],
    }),
  )
  conversion.note('spec.version', said('moved', { from: 'version', to: 'versions' }))
}

function manyVersions(
  conversion: Conversion,
  spec: YAMLMap,
  versions: readonly Version[],
  entries: readonly Fresh[],
): void {
  conversion.remove(spec, 'spec', 'version')
  for (const version of versions)
    for (const entry of entries)
      if (conversion.isAbsent(version.map, entry.key)) conversion.editor.map(version.map).add(entry)
}

/** From `apiextensions.k8s.io/v1beta1` to v1. */
export function convertDefinition(conversion: Conversion): void {
  const { root } = conversion
  const spec = conversion.mapAt(root, 'spec', 'spec')
  if (!spec) return conversion.ask(said('schema-none', { version: '?' }))
  const versions = conversion.mapsAt(spec, 'versions', 'spec.versions')
  const schemas = new Set<YAMLMap>()
  for (const version of versions.length > 0 ? versions : [null]) {
    const schema = schemaOf(conversion, spec, version?.map ?? null)
    judgeSchema(
      conversion,
      schema,
      version ? nameOf(conversion, version.map) : (conversion.text(spec, 'version') ?? '?'),
    )
    if (isMap(schema)) schemas.add(schema)
  }
  if (conversion.decide.length > 0) return
  if (conversion.value(spec, 'preserveUnknownFields') !== false) {
    keepsUnknown(conversion, schemas)
    conversion.remove(spec, 'spec', 'preserveUnknownFields')
  }
  columns(conversion, spec, 'spec')
  for (const version of versions) columns(conversion, version.map, version.path)
  const entries = sharedEntries(conversion, spec)
  if (versions.length === 0) oneVersion(conversion, spec, entries)
  else manyVersions(conversion, spec, versions, entries)
  if (conversion.isAbsent(spec, 'scope')) {
    conversion.editor.map(spec).add(fresh('scope', 'Namespaced'))
    conversion.note('spec.scope', said('written', { text: 'scope: Namespaced' }))
  }
  convertConversion(conversion, spec)
}
