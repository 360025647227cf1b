/** Which things stand on which: what goes with a thing when it is taken away. */
import type { Ref } from '../contract'

/**
 * Whether `inner` is gone once `outer` is: it is that thing, or lies in it. Clusters and sites hold all that is named
 * below them, namespaces the objects in them.
 */
export function goesWith(outer: Ref, inner: Ref): boolean {
  if (outer === inner) return true
  const [kind, ...path] = outer.split('/')
  const [, ...innerPath] = inner.split('/')
  const isBelow = innerPath.length > path.length && path.every((part, i) => part === innerPath[i])
  switch (kind) {
    case 'cluster':
    case 'site':
      return path.length === 1 && isBelow
    case 'namespace':
      return path.length === 2 && isBelow
    default:
      return false
  }
}

/** What a run made, changed and removed, as far as anybody else can tell. */
export interface Traces {
  readonly made: readonly Ref[]
  readonly altered: readonly Ref[]
  readonly removed: readonly Ref[]
}

/**
 * Whether taking back `earlier` would undo what `later` did: it stands on something that would go, or changed the same
 * thing since, which would be put back to how it was before both.
 */
export function standsOn(earlier: Traces, later: Traces): boolean {
  const touched = [...later.made, ...later.altered, ...later.removed]
  return (
    earlier.made.some((outer) => touched.some((inner) => goesWith(outer, inner))) ||
    earlier.altered.some((ref) => later.altered.includes(ref) || later.removed.includes(ref)) ||
    earlier.removed.some((ref) => later.made.includes(ref))
  )
}
