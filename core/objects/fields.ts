/**
 * Objects as fields: each value under a path, lists of named things by their key instead of their position, as server-side
 * apply has it. Paths read like `/spec/template/spec/containers/[name=main]/image`; a `/` or `~` in a name is escaped as in
 * RFC 6901. Source of the list keys: the patch merge keys of the Kubernetes API reference.
 */
import { isRecord } from './json'

export type Fields = ReadonlyMap<string, unknown>
type Json = Record<string, unknown>

const listKeys: Readonly<Record<string, readonly string[]>> = {
  containers: ['name'],
  initContainers: ['name'],
  ephemeralContainers: ['name'],
  volumes: ['name'],
  env: ['name'],
  imagePullSecrets: ['name'],
  volumeMounts: ['mountPath'],
  volumeDevices: ['devicePath'],
  hostAliases: ['ip'],
  topologySpreadConstraints: ['topologyKey'],
  metrics: ['type'],
  conditions: ['type'],
}

/** By which field items of a list are told apart, or null for a list that is one value. */
function keyOf(field: string, items: readonly unknown[]): string | null {
  const candidates = field === 'ports' ? ['containerPort', 'port'] : (listKeys[field] ?? [])
  const match = candidates.find((candidate) =>
    items.every((item) => isRecord(item) && item[candidate] !== undefined),
  )
  if (match === undefined || items.length === 0) return null
  const values = new Set(items.map((item) => (isRecord(item) ? String(item[match]) : '')))
  return values.size === items.length ? match : null
}

/** A name as a part of a path. */
export const escapePath = (text: string): string => text.replaceAll('~', '~0').replaceAll('/', '~1')
const unescape = (text: string): string => text.replaceAll('~1', '/').replaceAll('~0', '~')

/** Every value of an object by its path, in the order of the object. Empty maps and lists are values. */
export function fieldsOf(object: unknown): Fields {
  const results = new Map<string, unknown>()
  const walk = (value: unknown, path: string, field: string): void => {
    if (isRecord(value)) {
      const entries = Object.entries(value).filter(([, inner]) => inner !== undefined)
      if (entries.length === 0) results.set(path, {})
      for (const [name, inner] of entries) walk(inner, `${path}/${escapePath(name)}`, name)
      return
    }
    const key = Array.isArray(value) ? keyOf(field, value) : null
    if (Array.isArray(value) && key !== null) {
      for (const item of value)
        if (isRecord(item)) walk(item, `${path}/[${key}=${escapePath(String(item[key]))}]`, '')
      return
    }
    results.set(path, value)
  }
  walk(object, '', '')
  return results
}

interface Step {
  readonly name: string
  /** An item of a list: the field that names it, and its value. */
  readonly item: { readonly key: string; readonly value: string } | null
}

function steps(path: string): readonly Step[] {
  return path
    .split('/')
    .slice(1)
    .map((part) => {
      const item = /^\[(\w+)=(.*)\]$/s.exec(part)
      return item
        ? { name: '', item: { key: item[1] ?? '', value: unescape(item[2] ?? '') } }
        : { name: unescape(part), item: null }
    })
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

const itemOf = (list: readonly unknown[], item: NonNullable<Step['item']>): Json | undefined =>
  list.find(
    (entry): entry is Json => isRecord(entry) && String(ownField(entry, item.key)) === item.value,
  )

/** The value at a path, or undefined. */
export function fieldAt(object: unknown, path: string): unknown {
  let at = object
  for (const { name, item } of steps(path)) {
    if (item) at = Array.isArray(at) ? itemOf(at, item) : undefined
    else at = isRecord(at) ? ownField(at, name) : undefined
    if (at === undefined) return undefined
  }
  return at
}

/** Sets the value at a path in an object that is changed in place; what is missing on the way is made. */
function set(object: Json, path: string, value: unknown): void {
  const way = steps(path)
  let at: Json = object
  let holder: unknown[] | null = null
  for (const [index, { name, item }] of way.entries()) {
    const isLast = index === way.length - 1
    if (item) {
      if (!holder) return
      let matchingItem = itemOf(holder, item)
      if (!matchingItem) {
        matchingItem = {}
        holder.push(matchingItem)
        putField(
          matchingItem,
          item.key,
          /^\d+$/.test(item.value) && /[pP]ort$/.test(item.key) ? Number(item.value) : item.value,
        )
      }
      holder = null
      at = matchingItem
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

/** Removes the value at a path, and what is empty then. */
function remove(object: Json, path: string): void {
  const way = steps(path)
  const drop = (at: unknown, index: number): boolean => {
    const step = way[index]
    if (!step) return true
    if (step.item) {
      if (!Array.isArray(at)) return false
      const item = itemOf(at, step.item)
      // What names an item goes with the item, not before it.
      if (
        item &&
        way[index + 1]?.name === step.item.key &&
        way.length === index + 2 &&
        Object.keys(item).length > 1
      )
        return false
      if (!item || !drop(item, index + 1)) return false
      const left = Object.keys(item)
      if (index === way.length - 1 || left.length === 0) at.splice(at.indexOf(item), 1)
      return at.length === 0
    }
    if (!isRecord(at) || !Object.hasOwn(at, step.name)) return false
    if (drop(at[step.name], index + 1)) delete at[step.name]
    return Object.keys(at).length === 0
  }
  drop(object, 0)
}

/** An object with some fields taken away and others set; the object itself is not changed. */
export function withFields<T>(
  object: T,
  gone: Iterable<string>,
  wanted: Iterable<readonly [string, unknown]>,
): T {
  const copy = structuredClone(object)
  const names = (path: string): number => (/\/\[(\w+)=[^/]*\]\/\1$/.test(path) ? 1 : 0)
  for (const path of [...gone].sort((a, b) => names(a) - names(b))) remove(copy as Json, path)
  for (const [path, value] of wanted) set(copy as Json, path, value)
  return copy
}

/** Fields that name an object rather than say how it is. */
export const isIdentity = (path: string): boolean =>
  path === '/apiVersion' ||
  path === '/kind' ||
  path === '/metadata/name' ||
  path === '/metadata/namespace'

/** A path as people read it: `spec.template.spec.containers[main].image`. */
export const fieldText = (path: string): string =>
  steps(path)
    .map(({ name, item }) => {
      if (item) return `[${item.value}]`
      if (name.includes('.') || name.includes('/')) return `["${name}"]`
      return `.${name}`
    })
    .join('')
    .replace(/^\./, '')

const stepName = ({ name, item }: Step): string =>
  item
    ? `k:${JSON.stringify({ [item.key]: /^\d+$/.test(item.value) && /[pP]ort$/.test(item.key) ? Number(item.value) : item.value })}`
    : `f:${name}`

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
      for (const step of steps(path)) {
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
      if (name.startsWith('f:')) walk(next, `${path}/${escapePath(name.slice(2))}`, manager)
      else if (name.startsWith('k:')) {
        try {
          const key: unknown = JSON.parse(name.slice(2))
          const [field, value] = isRecord(key) ? (Object.entries(key)[0] ?? []) : []
          if (field !== undefined)
            walk(next, `${path}/[${field}=${escapePath(String(value))}]`, manager)
        } catch {
          // A key that is no JSON names nothing.
        }
      }
    }
  }
  for (const entry of Array.isArray(managed) ? managed : [])
    if (isRecord(entry) && typeof entry['manager'] === 'string')
      walk(entry['fieldsV1'], '', entry['manager'])
  return owners
}
