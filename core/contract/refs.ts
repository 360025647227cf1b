/** References: what something is about, written the same everywhere. */

/** `kind/cluster-or-site/name`, or `kind/name` for sites and clusters themselves. */
export type Ref = string

export const ref = (kind: string, ...path: readonly string[]): Ref => [kind, ...path].join('/')

/** A slice of what the outside reports, as it is named when it changes: `site:mossgate`, `cluster:cedar`. */
export type SliceName = `site:${string}` | `cluster:${string}`
