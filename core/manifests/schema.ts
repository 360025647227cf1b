/**
 * Objects held against the open API’s published schemas: types, required fields, fields that no schema names. The schemas
 * stand in open-api-types.json (made by scripts/open-api-types.mjs). What is null is absent, as the API reads it.
 * Time: once over the object.
 */
import { asText, isRecord } from '../objects'
import published from './open-api-types.json'
import { said } from './says'
import type { Said } from '../contract'

const { kinds, types, choices } = published as {
  readonly kinds: Readonly<Record<string, string>>
  readonly choices: Readonly<Record<string, readonly string[]>>
  readonly types: Readonly<Record<string, Readonly<Record<string, string>>>>
}

export interface SchemaFault extends Said {
  /** Below the object, like `spec.ports[0].port`. */
  readonly path: string
  readonly kind: 'type' | 'choice' | 'required' | 'unknown'
}

/** A value and what its schema calls it: `v1/Container` and `imagePullPolicy`. */
export type VisitField = (type: string, field: string, value: unknown, path: string) => void
/** A value that has fields, with the name of its schema. */
export type VisitType = (
  type: string,
  value: Readonly<Record<string, unknown>>,
  path: string,
) => void

/** The name of the schema of a kind, or null where none is published. */
export const typeOfKind = (apiVersion: string, kind: string): string | null => {
  const key = `${apiVersion}/${kind}`
  return Object.hasOwn(kinds, key) ? (kinds[key] ?? null) : null
}

interface Field {
  readonly shape: string
  readonly required: boolean
}

const fieldsRead = new Map<string, ReadonlyMap<string, Field>>()

function fieldsOfType(type: string): ReadonlyMap<string, Field> {
  const earlier = fieldsRead.get(type)
  if (earlier) return earlier
  const fields = new Map(
    Object.entries(types[type] ?? {}).map(([key, shape]): [string, Field] => [
      key.replace(/!$/, ''),
      { shape, required: key.endsWith('!') },
    ]),
  )
  fieldsRead.set(type, fields)
  return fields
}

/** Names of the fields of a type, in the order of the schema. */
export const fieldNamesOf = (type: string): readonly string[] => [...fieldsOfType(type).keys()]

/** The type that the values of a field have below lists and maps, or null where it is a plain value. */
export function fieldType(type: string, field: string): string | null {
  const base =
    fieldsOfType(type)
      .get(field)
      ?.shape.replace(/^[[{]+/, '') ?? ''
  return base.length > 1 ? base : null
}

const shownValue = (value: unknown): string => {
  const text = JSON.stringify(value) ?? 'nothing'
  return text.length > 40 ? `${text.slice(0, 37)}…` : text
}

const isWhole = (value: unknown): boolean => typeof value === 'number' && Number.isInteger(value)

const plainKinds: Readonly<
  Record<string, { readonly takes: (value: unknown) => boolean; readonly wanted: string }>
> = {
  s: { takes: (value) => typeof value === 'string', wanted: 'text' },
  t: {
    takes: (value) =>
      typeof value === 'string' &&
      /^\d{4}-\d\d-\d\d[Tt ]\d\d:\d\d:\d\d(\.\d+)?([Zz]|[+-]\d\d:\d\d)$/.test(value) &&
      !Number.isNaN(Date.parse(value)),
    wanted: 'a time like 2026-03-02T06:00:00Z',
  },
  '6': {
    takes: (value) =>
      typeof value === 'string' &&
      /^(?:[A-Za-z0-9+/]{4})*(?:[A-Za-z0-9+/]{2}==|[A-Za-z0-9+/]{3}=)?$/.test(
        value.replace(/[\r\n]/g, ''),
      ),
    wanted: 'text in base 64',
  },
  i: { takes: isWhole, wanted: 'a whole number' },
  w: {
    takes: (value) => isWhole(value) && Math.abs(value as number) <= 2 ** 31 - 1,
    wanted: 'a whole number below 2,147,483,648',
  },
  n: { takes: (value) => typeof value === 'number', wanted: 'a number' },
  b: { takes: (value) => typeof value === 'boolean', wanted: 'true or false' },
  k: {
    takes: (value) =>
      (typeof value === 'number' && Number.isFinite(value)) ||
      (typeof value === 'string' &&
        /^[+-]?(?:\d+(?:\.\d*)?|\.\d+)(?:[KMGTPE]i|[numkMGTPE]?|[eE][+-]?\d+)$/.test(value)),
    wanted: 'a quantity like 500m or 2Gi',
  },
  q: {
    takes: (value) => typeof value === 'string' || typeof value === 'number',
    wanted: 'text or a number',
  },
}

/** How many letters two names differ by, up to three. */
function distance(a: string, b: string): number {
  if (Math.abs(a.length - b.length) > 3) return 4
  let row = Array.from({ length: b.length + 1 }, (_, i) => i)
  for (let i = 1; i <= a.length; i++) {
    const next = [i]
    for (let j = 1; j <= b.length; j++)
      next.push(
        Math.min(
          (row[j] ?? 0) + 1,
          (next[j - 1] ?? 0) + 1,
          (row[j - 1] ?? 0) + (a[i - 1]?.toLowerCase() === b[j - 1]?.toLowerCase() ? 0 : 1),
        ),
      )
    row = next
  }
  return row[b.length] ?? 4
}

/** The field that was likely meant by one that is none. */
export function meantField(type: string, field: string): string | null {
  let best: { readonly name: string; readonly distance: number } | null = null
  for (const name of fieldNamesOf(type)) {
    const away = distance(field, name)
    if (away <= Math.min(3, Math.floor(name.length / 2)) && (!best || away < best.distance))
      best = { name, distance: away }
  }
  return best?.name ?? null
}

const below = (path: string, field: string): string => {
  const step = /^[A-Za-z_][\w-]*$/.test(field) ? `.${field}` : `["${field}"]`
  return path === '' ? step.replace(/^\./, '') : `${path}${step}`
}

class Walk {
  readonly faults: SchemaFault[] = []

  constructor(
    private readonly onField: VisitField,
    private readonly onType: VisitType,
  ) {}

  /** A value that is there: nothing at all is no item of a list or a map. */
  value(shape: string, value: unknown, path: string): void {
    if (shape === '*') return
    const lead = shape[0]
    if (lead === '[') {
      if (Array.isArray(value))
        value.forEach((item: unknown, i) => this.value(shape.slice(1), item, `${path}[${i}]`))
      else this.wrong(path, value, 'a list')
      return
    }
    if (lead === '{') {
      if (isRecord(value))
        for (const [key, inner] of Object.entries(value))
          this.value(shape.slice(1), inner, below(path, key))
      else this.wrong(path, value, 'a map')
      return
    }
    const plain = shape.length === 1 ? plainKinds[shape] : undefined
    if (plain) {
      if (!plain.takes(value)) this.wrong(path, value, plain.wanted)
      return
    }
    if (isRecord(value)) this.object(shape, value, path)
    else this.wrong(path, value, 'a map')
  }

  object(type: string, value: Readonly<Record<string, unknown>>, path: string): void {
    const fields = fieldsOfType(type)
    for (const [field, { shape, required }] of fields) {
      const inner = Object.hasOwn(value, field) ? value[field] : undefined
      if (inner === null || inner === undefined) {
        if (required)
          this.faults.push({
            path: below(path, field),
            kind: 'required',
            ...said('field-missing', { field }),
          })
        continue
      }
      this.choice(type, field, inner, below(path, field))
      this.onField(type, field, inner, below(path, field))
      this.value(shape, inner, below(path, field))
    }
    for (const field of Object.keys(value)) {
      const isOfObject = path === '' && (field === 'apiVersion' || field === 'kind')
      if (fields.has(field) || isOfObject || value[field] === undefined) continue
      this.faults.push({
        path: below(path, field),
        kind: 'unknown',
        ...said('field-unknown', { field, meant: meantField(type, field) }),
      })
    }
    this.onType(type, value, path)
  }

  /** A field that takes only some words holds one of them, or a list of them. */
  private choice(type: string, field: string, value: unknown, path: string): void {
    const key = `${type}.${field}`
    const taken = Object.hasOwn(choices, key) ? choices[key] : undefined
    if (!taken) return
    const words = isRecord(value) ? Object.values(value) : [value].flat()
    const wrong = words.find((word) => typeof word === 'string' && !taken.includes(word))
    if (typeof wrong === 'string')
      this.faults.push({
        path,
        kind: 'choice',
        ...said('value-choice', { value: wrong, taken: taken.filter((word) => word !== '') }),
      })
  }

  private wrong(path: string, value: unknown, wanted: string): void {
    this.faults.push({
      path,
      kind: 'type',
      ...said('field-type', { value: shownValue(value), wanted }),
    })
  }
}

/**
 * What of an object its published schema does not take; nothing for a kind that none is published for. Each field and
 * each part with fields is shown to whoever looks at values.
 */
export function schemaFaults(
  object: Readonly<Record<string, unknown>>,
  onField: VisitField = () => undefined,
  onType: VisitType = () => undefined,
): readonly SchemaFault[] {
  const type = typeOfKind(asText(object['apiVersion']), asText(object['kind']))
  if (type === null) return []
  const walk = new Walk(onField, onType)
  walk.object(type, object, '')
  return walk.faults
}
