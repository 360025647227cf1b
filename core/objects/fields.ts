/**
 * Objects as fields: each value under a path, lists of named things by their keys instead of their position, as
 * server-side apply has it. How paths read stands in field-paths.ts, by what items are told apart in list-keys.ts.
 */
import { apiGroupOf } from './api-group'
import {
  escapePath,
  type ItemKeys,
  itemIndex,
  itemPart,
  keyOf,
  keyValue,
  pathSteps,
  type PathStep,
} from './field-paths'
import { isRecord } from './json'
import { listKeys, usualKeys } from './list-keys'

export type Fields = ReadonlyMap<string, unknown>
type Json = Record<string, unknown>

/** What tells items apart: all their keys where fields are owned, one of them where a part is merged into a whole. */
type KeyUse = 'apply' | 'merge'

/** The fields that tell the items of a list apart; none for a set of plain values, null for a list that is one value. */
function keysFor(holder: string, field: string, use: KeyUse): readonly string[] | null {
  const keys = listKeys(holder, field)
  if (keys === null || use === 'apply' || keys.apply.length === 0) return keys?.apply ?? null
  return keys.merge === null ? null : [keys.merge]
}

/** The keys of each item of a list, or null for a list that is one value: items alike, or without their keys. */
function itemKeys(
  keys: readonly string[] | null,
  items: readonly unknown[],
): readonly ItemKeys[] | null {
  if (keys === null || items.length === 0) return null
  const named: ItemKeys[] = []
  for (const item of items) {
    if (keys.length === 0) {
      if (typeof item !== 'string') return null
      named.push([['', item]])
      continue
    }
    if (!isRecord(item)) return null
    const own = keys.flatMap((key): ItemKeys => {
      const value = keyOf(item, key)
      return value === null ? [] : [[key, value]]
    })
    if (own.length < keys.length) return null
    named.push(own)
  }
  return new Set(named.map(itemPart)).size === items.length ? named : null
}

/** Whether an object is one of the open API’s own: the lists of others are values. */
const isOpen = (object: Json): boolean => {
  const version = object['apiVersion']
  if (typeof version !== 'string') return true
  const group = apiGroupOf(version)
  return !group.includes('.') || group.endsWith('.k8s.io')
}

/**
 * Every value of an object by its path, in the order of the object. Empty maps and lists are values. With `merge` items
 * are told apart as strategic merges do: parts need not say more than that one key.
 */
export function fieldsOf(object: unknown, use: KeyUse = 'apply'): Fields {
  const results = new Map<string, unknown>()
  const hasKeys = !isRecord(object) || isOpen(object)
  const walk = (value: unknown, path: string, holder: string, field: string): void => {
    if (isRecord(value)) {
      const entries = Object.entries(value).filter(([, inner]) => inner !== undefined)
      if (entries.length === 0) results.set(path, {})
      for (const [name, inner] of entries) walk(inner, `${path}/${escapePath(name)}`, field, name)
      return
    }
    const named =
      Array.isArray(value) && hasKeys ? itemKeys(keysFor(holder, field, use), value) : null
    if (Array.isArray(value) && named !== null) {
      for (const [at, item] of value.entries())
        walk(item, `${path}/${itemPart(named[at] ?? [])}`, '', field)
      return
    }
    results.set(path, value)
  }
  const kind = isRecord(object) && typeof object['kind'] === 'string' ? object['kind'] : ''
  walk(object, '', '', kind)
  return results
}

/** A field of an object’s own, whatever every object has. */
export const ownField = (record: Json, name: string): unknown =>
  Object.hasOwn(record, name) ? record[name] : undefined

/** Sets a field, whatever its name. */
export const putField = (record: Json, name: string, value: unknown): void =>
  void Object.defineProperty(record, name, {
    value,
    enumerable: true,
    configurable: true,
    writable: true,
  })

/** The value at a path, or undefined. */
export function fieldAt(object: unknown, path: string): unknown {
  let at = object
  for (const { name, item } of pathSteps(path)) {
    if (item) at = Array.isArray(at) ? at[itemIndex(at, item)] : undefined
    else at = isRecord(at) ? ownField(at, name) : undefined
    if (at === undefined) return undefined
  }
  return at
}

/** The item of a list with these keys, made where it is missing; a plain value is entered and holds nothing. */
function itemIn(items: unknown[], keys: ItemKeys): Json {
  const at = itemIndex(items, keys)
  const existing = items[at]
  if (isRecord(existing)) return existing
  const item: Json = {}
  const [plain] = keys
  if (plain?.[0] === '') {
    if (at < 0) items.push(plain[1])
    return item
  }
  for (const [key, value] of keys)
    if (usualKeys[key] !== value) putField(item, key, keyValue(key, value))
  items.push(item)
  return item
}

/** Sets the value at a path in an object that is changed in place; what is missing on the way is made. */
function set(object: Json, path: string, value: unknown): void {
  const way = pathSteps(path)
  let at: Json = object
  let holder: unknown[] | null = null
  for (const [index, { name, item }] of way.entries()) {
    const isLast = index === way.length - 1
    if (item) {
      if (!holder) return
      at = itemIn(holder, item)
      holder = null
      continue
    }
    if (isLast) {
      putField(at, name, structuredClone(value))
      return
    }
    const next = ownField(at, name)
    if (way[index + 1]?.item) {
      const list: unknown[] = Array.isArray(next) ? next : []
      putField(at, name, list)
      holder = list
    } else {
      const inner = isRecord(next) ? next : {}
      putField(at, name, inner)
      at = inner
    }
  }
}

/** Whether a field is what names an item: not one that may be left out. */
const names = (keys: ItemKeys | null, field: PathStep | undefined): boolean =>
  keys?.some(([key, value]) => key === field?.name && usualKeys[key] !== value) === true

/** Removes the value at a path, and what is empty then. */
function remove(object: Json, path: string): void {
  const way = pathSteps(path)
  const drop = (at: unknown, index: number): boolean => {
    const step = way[index]
    if (!step) return true
    if (step.item) {
      if (!Array.isArray(at)) return false
      const place = itemIndex(at, step.item)
      const item: unknown = at[place]
      if (place < 0) return false
      const next = way.length === index + 2 ? way[index + 1] : undefined
      if (isRecord(item) && next && names(step.item, next)) {
        // What names an item goes with the item, not before it.
        if (Object.keys(item).some((field) => !names(step.item, { name: field, item: null })))
          return false
      } else if (!drop(item, index + 1) && index < way.length - 1) return false
      at.splice(place, 1)
      return at.length === 0
    }
    if (!isRecord(at) || !Object.hasOwn(at, step.name)) return false
    if (drop(at[step.name], index + 1)) delete at[step.name]
    return Object.keys(at).length === 0
  }
  drop(object, 0)
}

/** Paths in the order in which they can go: what names an item last, of these what is deeper first. */
function inOrderOfGoing(paths: Iterable<string>): readonly string[] {
  const read = [...paths].map((path) => {
    const steps = pathSteps(path)
    const isName = names(steps.at(-2)?.item ?? null, steps.at(-1))
    return { path, isName, depth: steps.length }
  })
  return read
    .sort((a, b) => Number(a.isName) - Number(b.isName) || (a.isName ? b.depth - a.depth : 0))
    .map(({ path }) => path)
}

/** An object with some fields taken away and others set; the object itself is not changed. */
export function withFields<T>(
  object: T,
  gone: Iterable<string>,
  wanted: Iterable<readonly [string, unknown]>,
): T {
  const copy = structuredClone(object)
  for (const path of inOrderOfGoing(gone)) remove(copy as Json, path)
  for (const [path, value] of wanted) set(copy as Json, path, value)
  return copy
}

/** Fields that name an object rather than say how it is. */
export const isIdentity = (path: string): boolean =>
  path === '/apiVersion' ||
  path === '/kind' ||
  path === '/metadata/name' ||
  path === '/metadata/namespace'

/** A step as FieldsV1 names it: a field, an item by its keys, a plain value. */
function stepName({ name, item }: PathStep): string {
  if (!item) return `f:${name}`
  const [first] = item
  return first?.[0] === ''
    ? `v:${JSON.stringify(first[1])}`
    : `k:${JSON.stringify(Object.fromEntries(item.map(([key, value]) => [key, keyValue(key, value)])))}`
}

/** A name of FieldsV1 as a part of a path, or null where it names nothing. */
function partOf(name: string): string | null {
  if (name.startsWith('f:')) return escapePath(name.slice(2))
  if (!name.startsWith('k:') && !name.startsWith('v:')) return null
  try {
    const value: unknown = JSON.parse(name.slice(2))
    if (name.startsWith('v:')) return itemPart([['', String(value)]])
    const keys = Object.entries(isRecord(value) ? value : {})
    return keys.length === 0 ? null : itemPart(keys.map(([key, each]) => [key, String(each)]))
  } catch {
    return null
  }
}

/** The managers that own a field: several that agree are parted by line ends; one that wrote without applying ends in a tab and `Update`. */
export const ownersIn = (owners: string): readonly string[] => owners.split('\n')

/** What an owner is called where it wrote without applying. */
export const asUpdate = (manager: string): string => `${manager}\tUpdate`

/**
 * Field owners in the form the API lists them (`metadata.managedFields`, FieldsV1), by manager in the order of their names;
 * with the version of the object, and the time (ISO) at which each owner took what it has, where these are known.
 */
export function managedFields(
  owners: Readonly<Record<string, string>>,
  {
    apiVersion,
    since = () => undefined,
  }: {
    readonly apiVersion?: string
    readonly since?: (manager: string) => string | undefined
  } = {},
): readonly {
  readonly manager: string
  readonly operation: 'Apply' | 'Update'
  readonly apiVersion?: string
  readonly time?: string
  readonly fieldsType: 'FieldsV1'
  readonly fieldsV1: Json
}[] {
  const byManager = new Map<string, Json>()
  for (const [path, text] of Object.entries(owners))
    for (const manager of ownersIn(text)) {
      const root = byManager.get(manager) ?? {}
      byManager.set(manager, root)
      let at = root
      for (const step of pathSteps(path)) {
        const name = stepName(step)
        const inner = ownField(at, name)
        const next = isRecord(inner) ? inner : {}
        putField(at, name, next)
        at = next
      }
    }
  return [...byManager]
    .sort(([a], [b]) => (a < b ? -1 : 1))
    .map(([manager, fieldsV1]) => {
      const time = since(manager)
      return {
        manager: manager.split('\t')[0] ?? manager,
        operation: manager.includes('\t') ? 'Update' : 'Apply',
        ...(apiVersion === undefined ? {} : { apiVersion }),
        ...(time === undefined ? {} : { time }),
        fieldsType: 'FieldsV1',
        fieldsV1,
      }
    })
}

/** All owners of each field, out of `metadata.managedFields`, as `managedFields` takes them. */
export function allOwners(managed: unknown): Readonly<Record<string, string>> {
  const owners: Record<string, string> = {}
  for (const entry of Array.isArray(managed) ? managed : [])
    for (const [path, manager] of fieldOwners([entry])) {
      const name = isRecord(entry) && entry['operation'] === 'Update' ? asUpdate(manager) : manager
      owners[path] = owners[path] === undefined ? name : `${owners[path]}\n${name}`
    }
  return owners
}

/** The owner of each field, out of `metadata.managedFields`. What is not readable is passed over. */
export function fieldOwners(managed: unknown): ReadonlyMap<string, string> {
  const owners = new Map<string, string>()
  const walk = (at: unknown, path: string, manager: string): void => {
    if (!isRecord(at)) return
    const inner = Object.entries(at).filter(([name]) => name !== '.')
    if (inner.length === 0 && path !== '') owners.set(path, manager)
    for (const [name, next] of inner) {
      const part = partOf(name)
      if (part !== null) walk(next, `${path}/${part}`, manager)
    }
  }
  for (const entry of Array.isArray(managed) ? managed : [])
    if (isRecord(entry) && typeof entry['manager'] === 'string')
      walk(entry['fieldsV1'], '', entry['manager'])
  return owners
}
