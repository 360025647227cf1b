/** What differs between two contents of a slice, told by Ref and field. */
import { identities, isList, isObject, type Json } from './delta'

export interface Difference {
  /** What it is about: `node/cedar/cedar-general-2`. */
  readonly about: string
  /** Its field, dotted; empty where the whole came or went. */
  readonly field: string
  /** Null where it was not there before, or is not there after. */
  readonly before: Json
  readonly after: Json
}

/** Where something is in a slice: fields, and items by what they are. */
type Path = readonly (string | { readonly item: string })[]

/** Lists of a site whose items are things of their own, with the kind of their refs. */
const siteKinds: Readonly<Record<string, string>> = {
  machines: 'machine',
  boxes: 'machine',
  hosts: 'host',
  disks: 'disk',
  networks: 'network',
  addresses: 'address',
  balancers: 'balancer',
  images: 'image',
  sizes: 'size',
  firewall: 'rule',
  translations: 'translation',
  records: 'record',
}

const fieldText = (path: Path): string =>
  path
    .map((part) => (typeof part === 'string' ? part : `[${part.item}]`))
    .join('.')
    .replaceAll('.[', '[')

interface Place {
  readonly about: string
  readonly rest: Path
}

function placeInCluster(cluster: string, path: Path): Place {
  const [list, pool, inner, node] = path
  if (list === 'pools' && typeof pool === 'object') {
    if (inner === 'nodes' && typeof node === 'object')
      return { about: `node/${cluster}/${node.item}`, rest: path.slice(4) }
    return { about: `pool/${cluster}/${pool.item}`, rest: path.slice(2) }
  }
  return { about: `cluster/${cluster}`, rest: path }
}

/** The nearest thing with a ref of its own, and the way from there. */
function placeOf(slice: string, path: Path): Place {
  const [kind = '', name = ''] = slice.split('/')
  const [first, second] = path
  if (kind === 'cluster') return placeInCluster(name, path)
  if (kind === 'site' && typeof first === 'string' && typeof second === 'object') {
    const itemKind = siteKinds[first]
    if (itemKind !== undefined)
      return { about: `${itemKind}/${name}/${second.item}`, rest: path.slice(2) }
  }
  if (kind === 'objects' && typeof first === 'object') {
    const [objectKind = '', ...names] = first.item.split('/')
    return { about: [objectKind, name, ...names].join('/'), rest: path.slice(1) }
  }
  if (kind === 'objects' || kind === 'events' || kind === 'traffic' || kind === 'usage')
    return { about: `cluster/${name}`, rest: [kind, ...path] }
  if (kind === 'meter') return { about: `site/${name}`, rest: [kind, ...path] }
  return { about: slice, rest: path }
}

/** Everything that differs, in the order of the later content; what came or went is told whole. */
export function differencesIn(
  slice: string,
  before: Json | undefined,
  after: Json | undefined,
): readonly Difference[] {
  const result: Difference[] = []
  const tell = (path: Path, former: Json, later: Json): void => {
    const { about, rest } = placeOf(slice, path)
    result.push({ about, field: fieldText(rest), before: former, after: later })
  }
  const walk = (path: Path, former: Json, later: Json): void => {
    if (former === later) return
    if (isObject(former) && isObject(later)) {
      for (const key of new Set([...Object.keys(later), ...Object.keys(former)]))
        walk([...path, key], former[key] ?? null, later[key] ?? null)
      return
    }
    if (isList(former) && isList(later) && [...former, ...later].every(isObject)) {
      const formerIds = identities(former)
      const ids = identities(later)
      const was = new Map(formerIds.map((id, index) => [id, former[index] ?? null]))
      ids.forEach((id, index) =>
        walk([...path, { item: id }], was.get(id) ?? null, later[index] ?? null),
      )
      const still = new Set(ids)
      formerIds.forEach((id, index) => {
        if (!still.has(id)) tell([...path, { item: id }], former[index] ?? null, null)
      })
      return
    }
    if (JSON.stringify(former) !== JSON.stringify(later)) tell(path, former, later)
  }
  walk([], before ?? null, after ?? null)
  return result
}

/** Whether a difference is about something, or about what is in it: `cluster/cedar` covers its nodes and objects. */
export function isAbout(difference: Difference, ref: string): boolean {
  if (difference.about === ref || difference.about.startsWith(`${ref}/`)) return true
  const [kind, name, ...inner] = ref.split('/')
  return (
    (kind === 'cluster' || kind === 'site') &&
    inner.length === 0 &&
    difference.about.split('/')[1] === name
  )
}
