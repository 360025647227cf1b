/**
 * By what the items of a list are told apart, by the field or kind that holds the list and its own field. A list that is
 * not here is one value. The table stands in list-keys.json (made by scripts/list-keys.mjs from the published schema).
 */
import published from './list-keys.json'

export interface ListKeys {
  /** The field by which strategic merge patches tell items apart; null where they replace the list, or it holds plain values. */
  readonly merge: string | null
  /** The fields that tell items apart for server-side apply; none for a set of plain values. */
  readonly apply: readonly string[]
}

const keys: Readonly<Record<string, ListKeys>> = published.keys

/** The keys of the list `field` in what `holder` holds: a field, a list of that name, or the kind of an object. */
export function listKeys(holder: string, field: string): ListKeys | null {
  const name = `${holder}.${field}`
  return Object.hasOwn(keys, name) ? (keys[name] ?? null) : null
}

/** What a key is where an item does not say: the protocol of a port. */
export const usualKeys: Readonly<Record<string, string>> = { protocol: 'TCP' }
