/**
 * Layered files: a base and one layer for each environment. The format is Gyrarch’s own and described in docs/formats/layers.md.
 * Short forms come first (namespace, prefix, labels, images, replicas), then strategic merges by list keys, JSON merge patches
 * (RFC 7396), JSON patches (RFC 6902). Every field of a rendered object knows which layer it came from.
 */
import jsonPatch, { type Operation } from 'fast-json-patch'
import { parse } from 'yaml'
import { z } from 'zod'
import { fieldAt, fieldsOf, withFields } from '../objects'
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

/** Reads a layered file; what is wrong is named by its place. */
export function readLayers(text: string): LayersRead {
  try {
    const read = layersSchema.safeParse(parse(text, { maxAliasCount: 100 }))
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
        try {
          object = jsonPatch.applyPatch(
            object,
            structuredClone(entry.patch) as unknown as Operation[],
            true,
            false,
          ).newDocument
        } catch (error) {
          return {
            ok: false,
            says: `environments.${environment}.jsonPatch for ${key}: ${error instanceof Error ? (error.message.split('\n')[0] ?? '') : 'cannot be applied'}`,
          }
        }
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

/** A rendered object as lines of YAML, each with its layer. */
export function layerLines({ object, from }: RenderedObject): readonly LayerLine[] {
  const lines: LayerLine[] = []
  const scalar = (value: unknown): string => {
    if (typeof value === 'string') {
      if (/^[A-Za-z][\w./:@-]*$/.test(value) && !/^(true|false|null|yes|no|on|off)$/i.test(value))
        return value
      return JSON.stringify(value)
    }
    return JSON.stringify(value)
  }
  const layerOf = (path: string): string | null =>
    from.get(path) ?? [...from].find(([other]) => other.startsWith(`${path}/`))?.[1] ?? null
  const keyed = (path: string, list: readonly unknown[]): ((item: unknown) => string) | null => {
    const prefix = `${path}/[`
    const sample = [...from.keys()].find((otherName) => otherName.startsWith(prefix))
    const field =
      sample === undefined ? null : (/^\[(\w+)=/.exec(sample.slice(path.length + 1))?.[1] ?? null)
    return field === null || list.length === 0
      ? null
      : (item) =>
          `${path}/[${field}=${String((item as Record<string, unknown>)[field])
            .replaceAll('~', '~0')
            .replaceAll('/', '~1')}]`
  }
  const write = (value: unknown, path: string, indent: string, first: string): void => {
    if (Array.isArray(value)) {
      const of = keyed(path, value)
      for (const item of value as readonly unknown[]) {
        const at = of?.(item) ?? path
        if (typeof item === 'object' && item !== null) write(item, at, `${indent}  `, `${indent}- `)
        else lines.push({ text: `${indent}- ${scalar(item)}`, from: layerOf(path) })
      }
      return
    }
    let lead = first
    for (const [name, inner] of Object.entries(value as Record<string, unknown>)) {
      if (inner === undefined) continue
      const at = `${path}/${name.replaceAll('~', '~0').replaceAll('/', '~1')}`
      const label = /^[A-Za-z0-9_.-]+$/.test(name) ? name : JSON.stringify(name)
      if (typeof inner === 'object' && inner !== null && Object.keys(inner).length > 0) {
        lines.push({ text: `${lead}${label}:`, from: null })
        write(inner, at, `${indent}  `, `${indent}  `)
      } else
        lines.push({
          text: `${lead}${label}: ${typeof inner === 'object' && inner !== null ? JSON.stringify(inner) : scalar(inner)}`,
          from: layerOf(at),
        })
      lead = indent
    }
  }
  write(object, '', '', '')
  return lines
}

/** Rendered objects as one text of several documents. */
export const renderedText = (objects: readonly RenderedObject[]): string =>
  objects
    .map((object) =>
      layerLines(object)
        .map((line) => line.text)
        .join('\n'),
    )
    .join('\n---\n') + '\n'

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
