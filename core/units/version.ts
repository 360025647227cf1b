/** Release numbers of clusters: "1.33.2" or a minor line "1.33". */

export interface Version {
  readonly major: number
  readonly minor: number
  readonly patch: number
}

/** Reads "1.33.2"; null for anything else, a leading v or a missing patch included. */
export function parseVersion(text: string): Version | null {
  const match = /^(\d{1,4})\.(\d{1,4})\.(\d{1,4})$/.exec(text)
  if (!match) return null
  return { major: Number(match[1]), minor: Number(match[2]), patch: Number(match[3]) }
}

/** The minor line of a release: "1.33.2" → "1.33". Text that is no release comes back as it is. */
export const minorLine = (release: string): string => {
  const version = parseVersion(release)
  return version ? `${version.major}.${version.minor}` : release
}

/** Below 0 if `a` is older than `b`, above 0 if newer. Unreadable ones sort first. */
export function compareReleases(a: string, b: string): number {
  const left = parseVersion(a)
  const right = parseVersion(b)
  if (!left || !right) return (left ? 1 : 0) - (right ? 1 : 0)
  return left.major - right.major || left.minor - right.minor || left.patch - right.patch
}

/** How many minors the agent `node` is behind the API `api`; negative if it is newer. */
export function minorsBehind(api: string, node: string): number {
  const left = parseVersion(api)
  const right = parseVersion(node)
  if (!left || !right) return 0
  return (left.major - right.major) * 1000 + left.minor - right.minor
}
