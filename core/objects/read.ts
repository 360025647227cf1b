/** Objects out of what a caller pasted: lists opened, each object with the path it came from, wrong ones named. */
import { isRecord } from './json'
import { schemaOf } from './schema'

export interface ApiObject {
  readonly kind: string
  readonly apiVersion?: string | undefined
  readonly metadata?:
    | {
        readonly name?: string | undefined
        readonly namespace?: string | null | undefined
        readonly [field: string]: unknown
      }
    | null
    | undefined
  /** Whatever else its kind has. */
  readonly [field: string]: unknown
}

export interface Located {
  /** Where it was, as a JSON pointer below `/objects`: `/3` or `/0/items/7`. */
  readonly pointer: string
  readonly object: ApiObject
}

export interface Misread {
  /** As a field is named in an error: `objects[3].spec.nodeName`. */
  readonly path: string
  readonly says: string
}

const hasKind = (value: Readonly<Record<string, unknown>>): value is ApiObject =>
  typeof value['kind'] === 'string'

/** Objects that were read before: objects are never changed in place, so what was right stays right. */
const checked = new WeakSet()

/** How deep a list may hold lists. */
const deepest = 8

/** Opens every `List` (and `PodList`, `NodeList` …) and checks each object against the schema of its kind. The first wrong one ends it. */
export function readObjects(
  given: readonly unknown[],
  base = 'objects',
): { readonly located: readonly Located[]; readonly wrong: Misread | null } {
  const located: Located[] = []
  let wrong: Misread | null = null
  const walk = (items: readonly unknown[], pointer: string, path: string, depth: number): void => {
    for (const [index, item] of items.entries()) {
      if (wrong) return
      const here = `${path}[${index}]`
      if (!isRecord(item)) {
        wrong = {
          path: here,
          says: 'This is no object of the API. Give an object with kind and metadata.',
        }
        return
      }
      if (!hasKind(item)) {
        wrong = { path: `${here}.kind`, says: 'An object needs its kind, as text.' }
        return
      }
      const { kind } = item
      if (kind.endsWith('List') && Array.isArray(item['items'])) {
        if (depth >= deepest) {
          wrong = { path: `${here}.items`, says: `Lists inside lists are read ${deepest} deep.` }
          return
        }
        // Items of a typed list may leave out their kind.
        const own = kind.slice(0, -4)
        const opened =
          own === ''
            ? item['items']
            : item['items'].map((entry: unknown) =>
                isRecord(entry) && entry['kind'] === undefined ? { kind: own, ...entry } : entry,
              )
        walk(opened, `${pointer}/${index}/items`, `${here}.items`, depth + 1)
        continue
      }
      const schema = checked.has(item) ? undefined : schemaOf(kind)
      if (schema) {
        const read = schema.safeParse(item)
        if (!read.success) {
          const issue = read.error.issues[0]
          const within = (issue?.path ?? [])
            .map((part) => (typeof part === 'number' ? `[${part}]` : `.${String(part)}`))
            .join('')
          wrong = { path: `${here}${within}`, says: issue?.message ?? 'not as the API has it' }
          return
        }
      }
      checked.add(item)
      // The object itself is passed on, not a copy: it was checked, not changed.
      located.push({ pointer: `${pointer}/${index}`, object: item })
    }
  }
  walk(given, '', base, 0)
  return { located, wrong }
}
