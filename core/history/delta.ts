/**
 * Differences between two contents of a slice, small enough to be kept for every observation, and put back together.
 * Lists are compared by what their items are (a name, an API object’s kind and name), so that an item that moved or has
 * one field changed costs only that.
 */

export type Json =
  null | boolean | number | string | readonly Json[] | { readonly [key: string]: Json }

interface JsonObject {
  readonly [key: string]: Json
}

/** One piece of a list: `[from, count]` copied out of the former list, an item of it with a difference, or a new item. */
export type Piece =
  | readonly [from: number, count: number]
  | { readonly at: number; readonly by: Delta }
  | { readonly new: Json }

/** What makes the later value out of the former one. */
export type Delta =
  | { readonly set: Json }
  | { readonly fields: Readonly<Record<string, Delta>>; readonly gone: readonly string[] }
  | { readonly pieces: readonly Piece[] }

export const isObject = (value: Json | undefined): value is JsonObject =>
  typeof value === 'object' && value !== null && !Array.isArray(value)

export const isList = (value: Json | undefined): value is readonly Json[] => Array.isArray(value)

const nameFields = ['name', 'id', 'ref', 'type', 'address', 'range'] as const

/**
 * What an item of a list is, whatever its fields are: `deployment/ns/name` of an API object, else its name. Null for an
 * item that nothing tells from its like.
 */
export function identityOf(item: Json): string | null {
  if (!isObject(item)) return null
  const { metadata, kind } = item
  if (isObject(metadata ?? null) && typeof kind === 'string') {
    const { namespace, name } = metadata as JsonObject
    if (typeof name === 'string')
      return [kind.toLowerCase(), ...(typeof namespace === 'string' ? [namespace] : []), name].join(
        '/',
      )
  }
  for (const field of nameFields) {
    const value = item[field]
    if (typeof value === 'string') return value
  }
  return null
}

/** The identity of each item, or its whole text; the second of the same is told from the first. */
export function identities(list: readonly Json[]): readonly string[] {
  const times = new Map<string, number>()
  return list.map((item) => {
    const id = identityOf(item) ?? JSON.stringify(item)
    const before = times.get(id) ?? 0
    times.set(id, before + 1)
    return before === 0 ? id : `${id} #${before + 1}`
  })
}

/** A field that is undefined is none: it is not kept either. */
const entriesOf = (object: JsonObject): readonly (readonly [string, Json])[] =>
  Object.entries(object as Readonly<Record<string, Json | undefined>>).filter(
    (entry): entry is [string, Json] => entry[1] !== undefined,
  )

function objectDelta(before: JsonObject, after: JsonObject): Delta | null {
  const fields: Record<string, Delta> = {}
  for (const [key, value] of entriesOf(after)) {
    const former = Object.hasOwn(before, key) ? before[key] : undefined
    const difference = former === undefined ? { set: value } : delta(former, value)
    if (difference) fields[key] = difference
  }
  const gone = entriesOf(before)
    .map(([key]) => key)
    .filter((key) => !Object.hasOwn(after, key) || after[key] === undefined)
  return gone.length + Object.keys(fields).length === 0 ? null : { fields, gone }
}

function listDelta(before: readonly Json[], after: readonly Json[]): Delta | null {
  const formerIds = identities(before)
  const ids = identities(after)
  const formerAt = new Map(formerIds.map((id, index) => [id, index]))
  const pieces: Piece[] = []
  after.forEach((item, index) => {
    const at = formerAt.get(ids[index] ?? '')
    const former = at === undefined ? undefined : before[at]
    if (at === undefined || former === undefined) {
      pieces.push({ new: item })
      return
    }
    const by = delta(former, item)
    const last = pieces.at(-1)
    if (by) pieces.push({ at, by })
    else if (Array.isArray(last) && last[0] + last[1] === at)
      pieces[pieces.length - 1] = [last[0], last[1] + 1]
    else pieces.push([at, 1])
  })
  const [only] = pieces
  const isSame =
    before.length === after.length &&
    (pieces.length === 0 ||
      (pieces.length === 1 && Array.isArray(only) && only[0] === 0 && only[1] === before.length))
  return isSame ? null : { pieces }
}

/** What makes `after` out of `before`; null where they are alike. */
export function delta(before: Json, after: Json): Delta | null {
  if (before === after) return null
  if (isObject(before) && isObject(after)) return objectDelta(before, after)
  if (isList(before) && isList(after)) return listDelta(before, after)
  return { set: after }
}

const pieceOf = (before: readonly Json[], piece: Piece): readonly Json[] => {
  if ('new' in piece) return [piece.new]
  if ('by' in piece) {
    const former = before[piece.at]
    return former === undefined ? [] : [withDelta(former, piece.by)]
  }
  return before.slice(piece[0], piece[0] + piece[1])
}

/** `before` with a difference applied. What the difference does not speak of is shared with it. */
export function withDelta(before: Json, difference: Delta): Json {
  if ('set' in difference) return difference.set
  if ('pieces' in difference)
    return isList(before) ? difference.pieces.flatMap((piece) => pieceOf(before, piece)) : before
  if (!isObject(before)) return before
  const after: Record<string, Json> = { ...before }
  for (const key of difference.gone) delete after[key]
  for (const [key, by] of Object.entries(difference.fields)) {
    const former = before[key]
    if ('set' in by) after[key] = by.set
    else if (former !== undefined) after[key] = withDelta(former, by)
  }
  return after
}
