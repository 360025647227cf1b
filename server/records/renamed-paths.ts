/**
 * Owners of fields as they were kept when every list told its items apart by one field: `ports/[port=53]` becomes
 * `ports/[port=53,protocol=UDP]`, finalizers become the items of a set, and lists that the API has as one value are one.
 */
import { fieldsOf, isRecord, record, records, text } from '~/core/objects'

/** A path as it was written then: items by their first key alone, sets as one value. */
const formerPath = (path: string): string =>
  path.replace(/\/\[=[^/]*\]$/, '').replace(/\[(\w+=[^/,\]]*)(,[^/\]]*)?\]/g, '[$1]')

/** The list in which the first item of a path stands, down to each further one. */
function listsAbove(path: string): readonly string[] {
  const lists: string[] = []
  for (let at = path.indexOf('/['); at >= 0; at = path.indexOf('/[', at + 1))
    lists.push(path.slice(0, at))
  return lists
}

/** The owners of an object’s fields by the paths of today; what is not found in it keeps its path. */
export function renamedOwners(
  owners: Readonly<Record<string, unknown>>,
  object: unknown,
): Readonly<Record<string, unknown>> {
  const today = fieldsOf(object)
  const renamed = new Map<string, readonly string[]>()
  for (const path of today.keys()) {
    const former = formerPath(path)
    renamed.set(former, [...(renamed.get(former) ?? []), path])
  }
  return Object.fromEntries(
    Object.entries(owners).flatMap(([path, owner]) => {
      if (today.has(path)) return [[path, owner]]
      const whole = listsAbove(path).find((list) => today.has(list))
      const now = renamed.get(path) ?? (whole === undefined ? [path] : [whole])
      return now.map((each) => [each, owner])
    }),
  )
}

/** The stored state of a cluster with its owners renamed; as it is where it has none. */
export function withRenamedOwners(cluster: unknown): unknown {
  if (!isRecord(cluster) || !isRecord(cluster['owners'])) return cluster
  const objects = new Map(
    records(cluster['objects']).map((object) => {
      const { namespace, name } = record(object['metadata'])
      return [`${text(object['kind'])}/${text(namespace)}/${text(name)}`, object]
    }),
  )
  const owners = Object.entries(cluster['owners']).map(([key, paths]) => {
    const object = objects.get(key)
    return [key, object && isRecord(paths) ? renamedOwners(paths, object) : paths]
  })
  return { ...cluster, owners: Object.fromEntries(owners) }
}
