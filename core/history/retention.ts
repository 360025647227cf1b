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

/** A version as room is made: what it is a difference against, and how large it is. */
export interface SizedVersion {
  readonly id: number
  /** The whole version that it is a difference against, or null. */
  readonly base: number | null
  readonly bytes: number
}

/**
 * What stays of the versions so that they take at most `room` bytes: those `kept` and the `last` of each slice, with the
 * whole versions that these are differences against. The oldest go first; a whole version goes with the last difference
 * against it. More than `room` stays only where the last of each slice take that much.
 */
export function staying(
  versions: readonly SizedVersion[],
  kept: readonly SizedVersion[],
  last: ReadonlySet<number>,
  room: number,
): ReadonlySet<number> {
  const byId = new Map(versions.map((version) => [version.id, version]))
  const stays = new Set([...kept.map(({ id }) => id), ...last])
  const isWanted = new Set(stays)
  const dependents = new Map<number, number>()
  for (const id of [...stays]) {
    const base = byId.get(id)?.base ?? null
    if (base === null) continue
    stays.add(base)
    dependents.set(base, (dependents.get(base) ?? 0) + 1)
  }
  let bytes = [...stays].reduce((sum, id) => sum + (byId.get(id)?.bytes ?? 0), 0)
  const drop = ({ id, base, bytes: freed }: SizedVersion): void => {
    stays.delete(id)
    bytes -= freed
    if (base === null) return
    const left = (dependents.get(base) ?? 1) - 1
    dependents.set(base, left)
    const whole = byId.get(base)
    if (left === 0 && whole && !isWanted.has(base)) drop(whole)
  }
  for (const version of kept) {
    if (bytes <= room) break
    if (last.has(version.id)) continue
    isWanted.delete(version.id)
    if ((dependents.get(version.id) ?? 0) === 0) drop(version)
  }
  return stays
}
