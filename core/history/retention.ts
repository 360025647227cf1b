/** What is kept once room is short: all of a week, then one an hour for 90 days, then one a day. */

const hourMs = 3_600_000
const dayMs = 24 * hourMs

export const retention = { allMs: 7 * dayMs, hourlyMs: 90 * dayMs } as const

interface Kept {
  readonly slice: string
  /** Clock time (ms). */
  readonly at: number
}

/**
 * Which versions stay, in the order given (oldest first): all of the last week, of older ones the last of each hour or
 * day, since that is what stood at its end.
 */
export function keptOf<V extends Kept>(versions: readonly V[], now: number): readonly V[] {
  const last = new Map<string, V>()
  for (const version of versions) {
    const age = now - version.at
    if (age <= retention.allMs) continue
    const span = age > retention.hourlyMs ? dayMs : hourMs
    last.set(`${version.slice} ${span} ${Math.floor(version.at / span)}`, version)
  }
  const stays = new Set(last.values())
  return versions.filter((version) => now - version.at <= retention.allMs || stays.has(version))
}

/**
 * The time as which a moment can be seen: where versions have been thinned, the last hour or day that is whole, so that
 * all slices are shown as they were at one time. `thinnedAt` is when that was last done (ms), null for never.
 */
export function visibleTime(at: number, thinnedAt: number | null): number {
  if (thinnedAt === null) return at
  const age = thinnedAt - at
  if (age <= retention.allMs) return at
  const span = age > retention.hourlyMs ? dayMs : hourMs
  return Math.floor(at / span) * span
}
