/** Patches of objects: JSON Patch (RFC 6902), merge patch (RFC 7396) and the strategic merge of the open API. */
import {
  applyJsonPatch,
  isRecord,
  list,
  listKeys,
  ownField as own,
  putField as put,
  text,
} from '~/core/objects'
import { ApiRefusal } from './status'

type Json = Record<string, unknown>

export function jsonPatched(object: Json, patch: unknown): Json {
  if (!Array.isArray(patch)) throw new ApiRefusal(400, 'a JSON patch is a list of operations')
  const patched = applyJsonPatch(object, patch)
  if (!patched.ok)
    throw new ApiRefusal(
      422,
      `the server rejected our request due to an error in our request: ${patched.says}`,
    )
  if (!isRecord(patched.value)) throw new ApiRefusal(422, 'the patch leaves no object')
  return patched.value
}

export function mergePatched(object: unknown, patch: unknown): unknown {
  if (!isRecord(patch)) return patch
  const result: Json = isRecord(object) ? { ...object } : {}
  for (const [name, value] of Object.entries(patch)) {
    if (value === null) delete result[name]
    else put(result, name, mergePatched(own(result, name), value))
  }
  return result
}

const order = '$setElementOrder/'
const deletion = '$deleteFromPrimitiveList/'

/** An object with a strategic merge patch applied: `$patch`, `$retainKeys`, lists by their keys. */
export const strategicPatched = (object: unknown, patch: unknown): unknown =>
  merged(isRecord(object) ? text(object['kind']) : '', object, patch)

/** What `holder` holds, a field, a list or the kind of an object, with a patch applied. */
function merged(holder: string, object: unknown, patch: unknown): unknown {
  if (!isRecord(patch)) return patch
  const directive = patch['$patch']
  if (directive === 'delete') return undefined
  if (directive === 'replace') {
    const { $patch: _directive, ...more } = patch
    return more
  }
  if (directive !== undefined && directive !== 'merge')
    throw new ApiRefusal(
      400,
      `$patch is merge, replace or delete, not ${JSON.stringify(directive).slice(0, 60)}`,
    )
  const result: Json = isRecord(object) ? { ...object } : {}
  const retained = patch['$retainKeys']
  if (Array.isArray(retained))
    for (const name of Object.keys(result)) if (!retained.includes(name)) delete result[name]
  for (const [name, value] of Object.entries(patch)) {
    if (name.startsWith(deletion)) {
      const field = name.slice(deletion.length)
      const gone = new Set(list(value))
      put(
        result,
        field,
        list(own(result, field)).filter((item) => !gone.has(item)),
      )
    } else if (!name.startsWith('$')) mergeField(holder, result, name, value)
  }
  for (const [name, value] of Object.entries(patch))
    if (name.startsWith(order)) putInOrder(holder, result, name.slice(order.length), list(value))
  return result
}

function mergeField(holder: string, result: Json, name: string, value: unknown): void {
  if (value === null) {
    delete result[name]
    return
  }
  const before = own(result, name)
  if (!Array.isArray(value)) {
    const inner = merged(name, before, value)
    if (inner === undefined) delete result[name]
    else put(result, name, inner)
    return
  }
  const keys = listKeys(holder, name)
  const isSet = keys?.apply.length === 0
  if (isSet) put(result, name, [...new Set([...list(before), ...list(value)])])
  else put(result, name, mergedList(name, keys?.merge ?? null, list(before), list(value)))
}

function mergedList(
  field: string,
  key: string | null,
  before: readonly unknown[],
  patch: readonly unknown[],
): readonly unknown[] {
  const isDirective = (item: unknown): item is Json =>
    isRecord(item) && item['$patch'] !== undefined
  const whole = patch.some((item) => isDirective(item) && item['$patch'] === 'replace')
  const plain = patch.filter(
    (item) => !(isRecord(item) && item['$patch'] === 'replace' && Object.keys(item).length === 1),
  )
  if (key === null || whole) return plain
  let result = [...before]
  for (const item of plain) {
    if (!isRecord(item) || item[key] === undefined)
      throw new ApiRefusal(
        400,
        `map: ${JSON.stringify(item).slice(0, 120)} does not contain declared merge key: ${key}`,
      )
    const at = result.findIndex((entry) => isRecord(entry) && entry[key] === item[key])
    if (item['$patch'] === 'delete') result = result.filter((_entry, i) => i !== at)
    else if (at === -1) result = [...result, merged(field, {}, item)]
    else result = result.map((entry, i) => (i === at ? merged(field, entry, item) : entry))
  }
  return result
}

/** Items in the order that a patch wants; those it does not name keep their places behind. */
function putInOrder(holder: string, result: Json, field: string, wanted: readonly unknown[]): void {
  const items = list(own(result, field))
  const key = listKeys(holder, field)?.merge ?? null
  const nameOf = (item: unknown): unknown => (isRecord(item) && key !== null ? item[key] : item)
  const rank = new Map(wanted.map((item, i) => [nameOf(item), i]))
  const place = (item: unknown): number => rank.get(nameOf(item)) ?? Infinity
  put(
    result,
    field,
    [...items].sort((a, b) => {
      const [left, right] = [place(a), place(b)]
      return left === right ? 0 : left - right
    }),
  )
}
