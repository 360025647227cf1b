/** What applying an object would change, field by field, and who wrote each field last. */
import { fieldAt, fieldOwners, fieldsOf, isIdentity, withFields, type ApiObject } from '../objects'
import { objectKey, type WrittenObject } from './parse'
import { removalOf } from './removed'

export interface FieldChange {
  readonly path: string
  /** Undefined where there was nothing, or where nothing stays. */
  readonly live: unknown
  readonly wanted: unknown
  /** Who wrote the live value last; null where nobody is known. */
  readonly owner: string | null
}

export interface ObjectChange {
  readonly key: string
  readonly object: WrittenObject
  readonly kind: 'make' | 'change' | 'same'
  readonly fields: readonly FieldChange[]
  /** Fields that somebody else wrote and that this would undo. */
  readonly conflicts: readonly FieldChange[]
}

const same = (a: unknown, b: unknown): boolean =>
  a === b || JSON.stringify(ordered(a)) === JSON.stringify(ordered(b))

/** The same value with the fields of every map in one order. */
function ordered(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(ordered)
  if (typeof value !== 'object' || value === null) return value
  return Object.fromEntries(
    Object.entries(value)
      .sort(([a], [b]) => (a < b ? -1 : 1))
      .map(([key, inner]) => [key, ordered(inner)]),
  )
}

/** Whether an object that lives in a version that stops being served is written in the one that takes its place. */
const isRaised = (live: ApiObject, object: WrittenObject): boolean =>
  live.apiVersion !== object.apiVersion &&
  removalOf(live.apiVersion ?? '', live.kind)?.successor === object.apiVersion

/** What a manager’s apply of `object` changes on `live`: fields set, and fields it wrote before and writes no more. */
export function changeOf(
  object: WrittenObject,
  live: ApiObject | undefined,
  manager: string,
): ObjectChange {
  const key = objectKey(object)
  const wanted = new Map([...fieldsOf(object)].filter(([path]) => !isIdentity(path)))
  if (!live)
    return {
      key,
      object,
      kind: 'make',
      fields: [...wanted].map(([path, value]) => ({
        path,
        live: undefined,
        wanted: value,
        owner: null,
      })),
      conflicts: [],
    }
  const owners = fieldOwners(
    (live.metadata as Readonly<Record<string, unknown>> | undefined)?.['managedFields'],
  )
  const fields: FieldChange[] = isRaised(live, object)
    ? [{ path: '/apiVersion', live: live.apiVersion, wanted: object.apiVersion, owner: null }]
    : []
  for (const [path, value] of wanted) {
    const now = fieldAt(live, path)
    if (!same(now, value))
      fields.push({ path, live: now, wanted: value, owner: owners.get(path) ?? null })
  }
  for (const [path, owner] of owners)
    if (
      owner === manager &&
      !wanted.has(path) &&
      fieldAt(live, path) !== undefined &&
      !isIdentity(path)
    )
      fields.push({ path, live: fieldAt(live, path), wanted: undefined, owner })
  return {
    key,
    object,
    kind: fields.length > 0 ? 'change' : 'same',
    fields,
    conflicts: fields.filter((field) => field.owner !== null && field.owner !== manager),
  }
}

/** The object without some of its fields: those left to whoever wrote them. */
export const without = (object: WrittenObject, paths: readonly string[]): WrittenObject =>
  paths.length === 0 ? object : withFields(object, paths, [])
