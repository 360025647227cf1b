/**
 * Paths of fields: `/spec/template/spec/containers/[name=main]/image`. A `/` or `~` in a name is escaped as in RFC 6901, a
 * `,` in a value that names an item as `~2`. Items of lists that several fields tell apart name all of them:
 * `/spec/ports/[port=53,protocol=UDP]`; plain values of a set name themselves: `/metadata/finalizers/[=name]`.
 */
import { isRecord } from './json'
import { usualKeys } from './list-keys'

/** What tells an item of a list apart: its fields with their values, or the one plain value under an empty name. */
export type ItemKeys = readonly (readonly [key: string, value: string])[]

export interface PathStep {
  readonly name: string
  /** An item of a list. */
  readonly item: ItemKeys | null
}

/** A name as a part of a path. */
export const escapePath = (text: string): string => text.replaceAll('~', '~0').replaceAll('/', '~1')
const unescape = (text: string): string =>
  text.replaceAll('~2', ',').replaceAll('~1', '/').replaceAll('~0', '~')

/** An item as a part of a path. */
export const itemPart = (keys: ItemKeys): string =>
  `[${keys.map(([key, value]) => `${key}=${escapePath(value).replaceAll(',', '~2')}`).join(',')}]`

function readItem(part: string): ItemKeys | null {
  const inner = /^\[(\w*=.*)\]$/s.exec(part)?.[1]
  if (inner === undefined) return null
  return inner.split(/,(?=\w+=)/).map((text) => {
    const cut = text.indexOf('=')
    return [text.slice(0, cut), unescape(text.slice(cut + 1))] as const
  })
}

export const pathSteps = (path: string): readonly PathStep[] =>
  path
    .split('/')
    .slice(1)
    .map((part) => {
      const item = readItem(part)
      return item ? { name: '', item } : { name: unescape(part), item: null }
    })

/** The value of a key as it stands in an object: ports are numbers. */
export const keyValue = (key: string, value: string): string | number =>
  /^\d+$/.test(value) && /port$/i.test(key) ? Number(value) : value

/** The value of a key of an item as text; what is usual where it does not say. */
export const keyOf = (item: Readonly<Record<string, unknown>>, key: string): string | null => {
  const value = Object.hasOwn(item, key) ? item[key] : undefined
  if (value === undefined) return usualKeys[key] ?? null
  return typeof value === 'object' ? null : String(value)
}

/** Where in a list the item with these keys stands; -1 where there is none. */
export const itemIndex = (items: readonly unknown[], keys: ItemKeys): number =>
  items.findIndex((item) =>
    keys.every(([key, value]) =>
      key === '' ? item === value : isRecord(item) && keyOf(item, key) === value,
    ),
  )

const itemText = (item: ItemKeys, isQuoted: boolean): string =>
  item
    .map(([key, value]) => (isQuoted ? `${key}=${JSON.stringify(keyValue(key, value))}` : value))
    .join(isQuoted ? ',' : ' ')

/** A path as people read it: `spec.template.spec.containers[main].image`. */
export const fieldText = (path: string): string =>
  pathSteps(path)
    .map(({ name, item }) => {
      if (item) return `[${itemText(item, false)}]`
      if (name.includes('.') || name.includes('/')) return `["${name}"]`
      return `.${name}`
    })
    .join('')
    .replace(/^\./, '')

/** A path as the API tells of conflicts: `.spec.template.spec.containers[name="web"].image`. */
export const causeField = (path: string): string =>
  pathSteps(path)
    .map(({ name, item }) => (item ? `[${itemText(item, true)}]` : `.${name}`))
    .join('')
