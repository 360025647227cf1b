/**
 * Layered files: a base and one layer for each environment. The format is Gyrarch’s own and described in docs/formats/layers.md.
 * Short forms come first (namespace, prefix, labels, images, replicas), then strategic merges by list keys, JSON merge patches
 * (RFC 7396), JSON patches (RFC 6902). Every field of a rendered object knows which layer it came from.
 */
import { isMap, isNode, isScalar, isSeq, LineCounter } from 'yaml'
import { z } from 'zod'
import {
  apiDocument,
  applyJsonPatch,
  escapePath,
  fieldAt,
  fieldsOf,
  isRecord,
  withFields,
  writeYaml,
} from '../objects'
import { isClusterWide, objectText, tidied, type WrittenObject } from './parse'

const target = z.string().max(300)
const objectSchema = z.looseObject({
  apiVersion: z.string(),
  kind: z.string(),
  metadata: z.looseObject({ name: z.string(), namespace: z.string().optional() }),
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
  const fields = [...fieldsOf(part)]
  const gone = fields.filter(([, value]) => value === null).map(([path]) => path)
  return withFields(
    object,
    gone,
    fields.filter(([, value]) => value !== null),
  )
}

const withTag = (image: string, wanted: string): string => {
  const cut = image.lastIndexOf(':')
  const repository = cut > image.lastIndexOf('/') ? image.slice(0, cut) : image
  return wanted.includes('/') ? wanted : `${repository}:${wanted}`
}

/** Fields by path that name an image. */
const isImage = (path: string): boolean =>
  /\/(initContainers|containers)\/\[name=[^\]]*\]\/image$/.test(path)

/** The objects of one environment, or of the base alone where it is null. */
export function renderLayers(file: LayeredFile, environment: string | null): Rendered {
  const layer = environment === null ? undefined : file.environments[environment]
  if (environment !== null && (!layer || !Object.hasOwn(file.environments, environment)))
    return {
      ok: false,
      says: `There is no environment ${environment}. Known: ${Object.keys(file.environments).join(', ')}.`,
    }
  const base = file.base as unknown as readonly WrittenObject[]
  const names = new Set(base.map(nameKey))
  for (const [what, list] of [
    ['replicas', Object.keys(layer?.replicas ?? {})],
    ['mergePatch', (layer?.mergePatch ?? []).map((entry) => entry.target)],
    ['jsonPatch', (layer?.jsonPatch ?? []).map((entry) => entry.target)],
    ['merge', (layer?.merge ?? []).map((entry) => nameKey(entry))],
  ] as const) {
    const missing = list.find((name) => !names.has(name))
    if (missing !== undefined)
      return {
        ok: false,
        says: `environments.${environment ?? ''}.${what} names ${missing}, which the base does not have.`,
      }
  }
  const rendered: RenderedObject[] = []
  for (const given of base) {
    const before = fieldsOf(tidied(given))
    const key = nameKey(given)
    let object: WrittenObject = structuredClone(given)
    if (layer && environment !== null) {
      const set: [string, unknown][] = []
      if (layer.namespace !== undefined && !isClusterWide(object.kind))
        set.push(['/metadata/namespace', layer.namespace])
      for (const [name, value] of Object.entries(layer.labels ?? {}))
        set.push([`/metadata/labels/${name.replaceAll('~', '~0').replaceAll('/', '~1')}`, value])
      for (const [path, value] of fieldsOf(object)) {
        if (!isImage(path) || typeof value !== 'string') continue
        const repository = value.slice(
          0,
          value.lastIndexOf(':') > value.lastIndexOf('/') ? value.lastIndexOf(':') : undefined,
        )
        const wanted = layer.images?.[repository]
        if (wanted !== undefined) set.push([path, withTag(value, wanted)])
      }
      const replicas = layer.replicas?.[key]
      if (replicas !== undefined) set.push(['/spec/replicas', replicas])
      object = withFields(object, [], set)
      for (const part of layer.merge ?? [])
        if (nameKey(part) === key) object = strategic(object, part)
      for (const entry of layer.mergePatch ?? [])
        if (entry.target === key) object = mergePatch(object, entry.patch) as WrittenObject
      for (const entry of layer.jsonPatch ?? []) {
        if (entry.target !== key) continue
        const patched = applyJsonPatch(object, entry.patch)
        if (!patched.ok || !isObject(patched.value))
          return {
            ok: false,
            says: `environments.${environment}.jsonPatch for ${key}: ${patched.ok ? 'what it leaves is no object with a kind and a name' : patched.says}`,
          }
        object = patched.value
      }
      if (!isObject(object))
        return {
          ok: false,
          says: `environments.${environment}.mergePatch for ${key}: what it leaves is no object with a kind and a name`,
        }
      if (layer.prefix !== undefined)
        object = {
          ...object,
          metadata: { ...object.metadata, name: `${layer.prefix}${object.metadata.name}` },
        }
    }
    const done = tidied(object)
    const from = new Map(
      [...fieldsOf(done)].map(([path, value]) => [
        path,
        environment !== null && JSON.stringify(before.get(path)) !== JSON.stringify(value)
          ? environment
          : 'base',
      ]),
    )
    rendered.push({ object: done, from })
  }
  // With a prefix, references to objects of the same file follow it.
  const prefix = layer?.prefix
  return {
    ok: true,
    objects:
      prefix === undefined || environment === null
        ? rendered
        : rendered.map((renderedObject) => followPrefix(renderedObject, base, prefix, environment)),
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
    .map(([path, value]): [string, unknown] => [path, `${prefix}${String(value)}`])
  if (set.length === 0) return { object, from }
  return {
    object: withFields(object, [], set),
    from: new Map([...from, ...set.map(([path]): [string, string] => [path, environment])]),
  }
}

export interface LayerLine {
  readonly text: string
  /** The layer the line came from; null for lines that only hold others together. */
  readonly from: string | null
}

const sameValue = (a: unknown, b: unknown): boolean => JSON.stringify(a) === JSON.stringify(b)

/** The field that tells the items of a list apart in the paths of `from`, or null for a list that is one value. */
function keyIn(from: RenderedObject['from'], path: string): string | null {
  const prefix = `${path}/[`
  const sample = [...from.keys()].find((candidate) => candidate.startsWith(prefix))
  return sample === undefined
    ? null
    : (/^\[(\w+)=/.exec(sample.slice(path.length + 1))?.[1] ?? null)
}

/** A rendered object as lines of YAML, each with its layer. What is written reads back as the object. */
export function layerLines({ object, from }: RenderedObject): readonly LayerLine[] {
  const text = writeYaml(object)
  const counter = new LineCounter()
  const document = apiDocument(text, counter)
  if (document.errors.length > 0 || !sameValue(document.toJS(), object))
    throw new Error(`${objectText(object)} does not read back as it is written`)
  const layers: (string | null)[] = []
  const lineAt = (offset: number): number => counter.linePos(offset).line - 1
  /** All lines of a node come from one layer. */
  const mark = (first: number, last: number, layer: string | null): void => {
    for (let line = lineAt(first); line <= lineAt(Math.max(first, last - 1)); line++)
      layers[line] ??= layer
  }
  const visitNode = (node: unknown, path: string, begin: number): void => {
    if (!isNode(node) || !node.range) return
    const [, valueEnd] = node.range
    const layer = from.get(path)
    if (layer !== undefined) {
      mark(begin, valueEnd, layer)
      return
    }
    if (isMap(node))
      for (const { key, value } of node.items) {
        const name = isScalar(key) ? String(key.value) : ''
        const keyBegin = isNode(key) && key.range ? key.range[0] : begin
        visitNode(value, `${path}/${escapePath(name)}`, keyBegin)
      }
    else if (isSeq(node)) {
      const field = keyIn(from, path)
      for (const item of node.items) {
        const key: unknown = isMap(item) && field !== null ? item.get(field) : undefined
        const itemBegin = isNode(item) && item.range ? item.range[0] : begin
        visitNode(item, `${path}/[${field ?? ''}=${escapePath(String(key))}]`, itemBegin)
      }
    }
  }
  visitNode(document.contents, '', 0)
  return text
    .replace(/\n$/, '')
    .split('\n')
    .map((line, i) => ({ text: line, from: layers[i] ?? null }))
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
    const renderedObject = right.objects[i]
    if (!renderedObject) return []
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
              object: objectText(file.base[i] as unknown as WrittenObject),
              path,
              a: values[0],
              b: values[1],
            },
          ]
    })
  })
}
