/**
 * Layered files: a base and one layer for each environment. The format is Gyrarch’s own and described in docs/formats/layers.md.
 * Short forms come first (namespace, prefix, labels, images, replicas), then strategic merges by list keys, JSON merge patches
 * (RFC 7396), JSON patches (RFC 6902). Every field of a rendered object knows which layer it came from.
 */
import { z } from 'zod'
import {
  asText,
  apiDocument,
  applyJsonPatch,
  fieldAt,
  fieldsOf,
  isRecord,
  withFields,
  writeYaml,
} from '../objects'
import { isClusterWide, objectText, tidied, type WrittenObject } from './parse'

const target = z.string().max(300)
const textByName = z.record(z.string(), z.string())
const objectSchema = z.looseObject({
  apiVersion: z.string(),
  kind: z.string(),
  metadata: z.looseObject({
    name: z.string(),
    namespace: z.string().exactOptional(),
    labels: textByName.exactOptional(),
    annotations: textByName.exactOptional(),
  }),
})
const partSchema = z.looseObject({
  kind: z.string(),
  metadata: z.looseObject({ name: z.string() }),
})

const environmentSchema = z.strictObject({
  cluster: z.string().max(253).optional(),
  namespace: z.string().max(63).optional(),
  prefix: z.string().max(40).optional(),
  labels: z.record(z.string(), z.string()).optional(),
  /** New tags (or whole images) by repository. */
  images: z.record(z.string(), z.string()).optional(),
  /** Replicas by `Kind/name`. */
  replicas: z.record(z.string(), z.int().min(0).max(100_000)).optional(),
  merge: z.array(partSchema).max(500).optional(),
  mergePatch: z
    .array(z.strictObject({ target, patch: z.record(z.string(), z.unknown()) }))
    .max(500)
    .optional(),
  jsonPatch: z
    .array(
      z.strictObject({
        target,
        patch: z.array(z.looseObject({ op: z.string(), path: z.string() })).max(500),
      }),
    )
    .max(500)
    .optional(),
})

export const layersSchema = z.strictObject({
  layers: z.literal(1),
  base: z.array(objectSchema).max(1000),
  environments: z.record(z.string().max(63), environmentSchema),
})
export type LayeredFile = z.infer<typeof layersSchema>

export type LayersRead =
  { readonly ok: true; readonly file: LayeredFile } | { readonly ok: false; readonly says: string }

/** What a text of one document says. Throws an error that says where it cannot be read. */
function plainValue(text: string): unknown {
  const document = apiDocument(text)
  const [error] = document.errors
  if (error) throw error
  return document.toJS({ maxAliasCount: 100 })
}

/** Reads a layered file; what is wrong is named by its place. */
export function readLayers(text: string): LayersRead {
  try {
    const read = layersSchema.safeParse(plainValue(text))
    if (read.success) return { ok: true, file: read.data }
    const issue = read.error.issues[0]
    return {
      ok: false,
      says: `${(issue?.path ?? []).map(String).join('.') || 'The file'}: ${issue?.message ?? 'not as the format has it'}`,
    }
  } catch (error) {
    return {
      ok: false,
      says:
        error instanceof Error
          ? (error.message.split('\n')[0] ?? 'This is no YAML.')
          : 'This is no YAML.',
    }
  }
}

export interface RenderedObject {
  readonly object: WrittenObject
  /** The layer of each field, by path: `base` or the environment. */
  readonly from: ReadonlyMap<string, string>
}

export type Rendered =
  | { readonly ok: true; readonly objects: readonly RenderedObject[] }
  | { readonly ok: false; readonly says: string }

const nameKey = (object: {
  readonly kind: string
  readonly metadata: { readonly name: string }
}): string => `${object.kind}/${object.metadata.name}`

const isObject = (value: unknown): value is WrittenObject =>
  isRecord(value) &&
  typeof value['kind'] === 'string' &&
  isRecord(value['metadata']) &&
  typeof value['metadata']['name'] === 'string'

/** RFC 7396. */
function mergePatch(value: unknown, patch: unknown): unknown {
  if (typeof patch !== 'object' || patch === null || Array.isArray(patch)) return patch
  const base =
    typeof value === 'object' && value !== null && !Array.isArray(value)
      ? { ...(value as Record<string, unknown>) }
      : {}
  for (const [name, inner] of Object.entries(patch)) {
    if (inner === null) delete base[name]
    else
      Object.defineProperty(base, name, {
        value: mergePatch(Object.hasOwn(base, name) ? base[name] : undefined, inner),
        enumerable: true,
        configurable: true,
        writable: true,
      })
  }
  return base
}

/** Merges by list keys: fields of the part replace, null removes, all else stays. */
function strategic<T extends WrittenObject>(object: T, part: unknown): T {
  const fields = [...fieldsOf(part, 'merge')]
  const gone = fields.filter(([, value]) => value === null).map(([path]) => path)
  return withFields(
    object,
    gone,
    fields.filter(([, value]) => value !== null),
  )
}

/** The repository of an image, without its tag. A colon before the last slash belongs to a port. */
const repositoryOf = (image: string): string => {
  const cut = image.lastIndexOf(':')
  return cut > image.lastIndexOf('/') ? image.slice(0, cut) : image
}

const withTag = (image: string, wanted: string): string =>
  wanted.includes('/') ? wanted : `${repositoryOf(image)}:${wanted}`

/** Fields by path that name an image. */
const isImage = (path: string): boolean =>
  /\/(initContainers|containers)\/\[name=[^\]]*\]\/image$/.test(path)

type Layer = LayeredFile['environments'][string]

/** The first thing that a layer names and the base does not have, or null. */
function namesMissing(layer: Layer, names: ReadonlySet<string>): string | null {
  const named = {
    replicas: Object.keys(layer.replicas ?? {}),
    mergePatch: (layer.mergePatch ?? []).map(({ target }) => target),
    jsonPatch: (layer.jsonPatch ?? []).map(({ target }) => target),
    merge: (layer.merge ?? []).map(nameKey),
  }
  for (const [field, list] of Object.entries(named)) {
    const missing = list.find((name) => !names.has(name))
    if (missing !== undefined) return `${field} names ${missing}, which the base does not have.`
  }
  return null
}

/** What the short forms of a layer set in an object, by path. */
function shortForms(layer: Layer, object: WrittenObject): readonly (readonly [string, unknown])[] {
  const namespace =
    layer.namespace === undefined || isClusterWide(object.kind)
      ? []
      : [['/metadata/namespace', layer.namespace] as const]
  const labels = Object.entries(layer.labels ?? {}).map(
    ([name, value]) =>
      [`/metadata/labels/${name.replaceAll('~', '~0').replaceAll('/', '~1')}`, value] as const,
  )
  const images = [...fieldsOf(object)].flatMap(([path, image]) => {
    if (!isImage(path) || typeof image !== 'string') return []
    const wanted = layer.images?.[repositoryOf(image)]
    return wanted === undefined ? [] : [[path, withTag(image, wanted)] as const]
  })
  const count = layer.replicas?.[nameKey(object)]
  const replicas = count === undefined ? [] : [['/spec/replicas', count] as const]
  return [...namespace, ...labels, ...images, ...replicas]
}

type LayerApplied =
  | { readonly ok: true; readonly object: WrittenObject }
  | { readonly ok: false; readonly says: string }

const noObject = 'what it leaves is no object with a kind and a name'

/** An object of the base with a layer over it: short forms, merges, merge patches, JSON patches, in that order. */
function layered(base: WrittenObject, layer: Layer): LayerApplied {
  const key = nameKey(base)
  let object = withFields(base, [], shortForms(layer, base))
  for (const part of layer.merge ?? []) if (nameKey(part) === key) object = strategic(object, part)
  for (const { target, patch } of layer.mergePatch ?? []) {
    if (target !== key) continue
    const patched = mergePatch(object, patch)
    if (!isObject(patched)) return { ok: false, says: `mergePatch for ${key}: ${noObject}` }
    object = patched
  }
  for (const { target, patch } of layer.jsonPatch ?? []) {
    if (target !== key) continue
    const patched = applyJsonPatch(object, patch)
    if (!patched.ok) return { ok: false, says: `jsonPatch for ${key}: ${patched.says}` }
    if (!isObject(patched.value)) return { ok: false, says: `jsonPatch for ${key}: ${noObject}` }
    object = patched.value
  }
  const { metadata } = object
  return layer.prefix === undefined
    ? { ok: true, object }
    : {
        ok: true,
        object: { ...object, metadata: { ...metadata, name: `${layer.prefix}${metadata.name}` } },
      }
}

/** For each field of a rendered object the environment that set it, or `base`. */
function originsOf(
  rendered: WrittenObject,
  base: WrittenObject,
  environment: string | null,
): ReadonlyMap<string, string> {
  const before = fieldsOf(tidied(base))
  return new Map(
    [...fieldsOf(rendered)].map(([path, value]) => [
      path,
      environment !== null && JSON.stringify(before.get(path)) !== JSON.stringify(value)
        ? environment
        : 'base',
    ]),
  )
}

/** The objects of one environment, or of the base alone where it is null. */
export function renderLayers(file: LayeredFile, environment: string | null): Rendered {
  const { base, environments } = file
  const rendered = (object: WrittenObject, from: WrittenObject): RenderedObject => {
    const done = tidied(object)
    return { object: done, from: originsOf(done, from, environment) }
  }
  if (environment === null)
    return { ok: true, objects: base.map((object) => rendered(object, object)) }
  const layer = Object.hasOwn(environments, environment) ? environments[environment] : undefined
  if (!layer)
    return {
      ok: false,
      says: `There is no environment ${environment}. Known: ${Object.keys(environments).join(', ')}.`,
    }
  const missing = namesMissing(layer, new Set(base.map(nameKey)))
  if (missing !== null) return { ok: false, says: `environments.${environment}.${missing}` }
  const objects: RenderedObject[] = []
  for (const object of base) {
    const applied = layered(object, layer)
    if (!applied.ok) return { ok: false, says: `environments.${environment}.${applied.says}` }
    objects.push(rendered(applied.object, object))
  }
  // With a prefix, references to objects of the same file follow it.
  const { prefix } = layer
  return {
    ok: true,
    objects:
      prefix === undefined
        ? objects
        : objects.map((object) => followPrefix(object, base, prefix, environment)),
  }
}

const referring =
  /\/(configMap\/name|secret\/secretName|persistentVolumeClaim\/claimName|configMapRef\/name|secretRef\/name|configMapKeyRef\/name|secretKeyRef\/name|serviceAccountName|scaleTargetRef\/name|serviceName|backend\/service\/name)$/

function followPrefix(
  { object, from }: RenderedObject,
  base: readonly WrittenObject[],
  prefix: string,
  environment: string,
): RenderedObject {
  const own = new Set(base.map((writtenObject) => writtenObject.metadata.name))
  const set = [...fieldsOf(object)]
    .filter(([path, value]) => typeof value === 'string' && referring.test(path) && own.has(value))
    .map(([path, value]): [string, unknown] => [path, `${prefix}${asText(value)}`])
  if (set.length === 0) return { object, from }
  return {
    object: withFields(object, [], set),
    from: new Map([...from, ...set.map(([path]): [string, string] => [path, environment])]),
  }
}

/** Rendered objects as one text of several documents. */
export const renderedText = (objects: readonly RenderedObject[]): string =>
  objects.map(({ object }) => writeYaml(object)).join('---\n')

export interface LayerDifference {
  readonly object: string
  readonly path: string
  readonly a: unknown
  readonly b: unknown
}

/** What differs between two environments, field by field; objects are matched by kind and name without their prefix. */
export function compareLayers(
  file: LayeredFile,
  a: string | null,
  b: string | null,
): readonly LayerDifference[] | string {
  const left = renderLayers(file, a)
  const right = renderLayers(file, b)
  if (!left.ok) return left.says
  if (!right.ok) return right.says
  return left.objects.flatMap((object, i) => {
    const base = file.base[i]
    const renderedObject = right.objects[i]
    if (!base || !renderedObject) return []
    const paths = new Set([
      ...fieldsOf(object.object).keys(),
      ...fieldsOf(renderedObject.object).keys(),
    ])
    return [...paths].flatMap((path): readonly LayerDifference[] => {
      const values = [fieldAt(object.object, path), fieldAt(renderedObject.object, path)]
      return JSON.stringify(values[0]) === JSON.stringify(values[1])
        ? []
        : [
            {
              object: objectText(base),
              path,
              a: values[0],
              b: values[1],
            },
          ]
    })
  })
}
