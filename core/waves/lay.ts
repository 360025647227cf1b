/**
 * Stages of an upgrade laid into maintenance windows. Stages in the order given, each whole inside one occurrence of a window
 * of its cluster, at the earliest instant that is not before those it waits for end, on no cluster already busy, and with at
 * most so many at once, given the stages laid before it. Intervals are half-open. O(stages² × occurrences) at worst.
 */
import type { Occurrence } from '../windows'

export interface Stage {
  readonly name: string
  readonly cluster: string
  /** Its worst duration. */
  readonly minutes: number
  readonly after?: readonly string[] | undefined
}

export interface LaidStage {
  readonly name: string
  /** Milliseconds. */
  readonly start: number
  readonly end: number
}

export const unlaidReasons = [
  'no-window',
  'window-too-short',
  'waits-for-unplaced',
  'no-room',
] as const
export type UnlaidReason = (typeof unlaidReasons)[number]

export interface UnlaidStage {
  readonly name: string
  readonly reason: UnlaidReason
  readonly says: string
}

export interface Laid {
  readonly placed: readonly LaidStage[]
  readonly unplaced: readonly UnlaidStage[]
}

interface Busy extends LaidStage {
  readonly cluster: string
}

const minuteMs = 60_000

/** The end of the first of the intervals that keep a stage from starting at a time, or null where nothing does. */
function hindered(
  start: number,
  end: number,
  cluster: string,
  busy: readonly Busy[],
  atOnce: number,
): number | null {
  const over = busy.filter((interval) => interval.start < end && interval.end > start)
  const own = over.filter((interval) => interval.cluster === cluster)
  if (own.length > 0) return Math.max(...own.map((interval) => interval.end))
  if (over.length < atOnce) return null
  // How many run only rises where one starts.
  const moments = [start, ...over.map((interval) => interval.start).filter((at) => at > start)]
  for (const moment of moments.sort((a, b) => a - b)) {
    const running = over.filter((interval) => interval.start <= moment && interval.end > moment)
    if (running.length >= atOnce) return Math.min(...running.map((interval) => interval.end))
  }
  return null
}

/** The earliest start within one occurrence, or null. */
function startWithin(
  occurrence: Occurrence,
  earliest: number,
  lengthMs: number,
  until: number,
  fits: { of(start: number): number | null }['of'],
): number | null {
  const last = Math.min(occurrence.end, until) - lengthMs
  let start = Math.max(occurrence.start, earliest)
  while (start <= last) {
    const next = fits(start)
    if (next === null) return start
    start = next
  }
  return null
}

const reasonText: Readonly<Record<UnlaidReason, { of(stage: Stage, more: string): string }['of']>> =
  {
    'no-window': ({ cluster }) => `${cluster} has no window in that time.`,
    'window-too-short': ({ cluster, minutes }) =>
      `It takes ${minutes} minutes, and no window of ${cluster} is as long.`,
    'waits-for-unplaced': (_stage, more) => `It waits for ${more}, which has no place.`,
    'no-room': ({ cluster, minutes }) =>
      `No window of ${cluster} has ${minutes} minutes left that it could take.`,
  }

/**
 * Lays stages between two times (ms). `occurrencesOf` gives the occurrences of a cluster’s windows that overlap that time, by
 * start; each stage waits only for stages before it.
 */
export function layStages(
  stages: readonly Stage[],
  occurrencesOf: (cluster: string) => readonly Occurrence[],
  atOnce: number,
  from: number,
  until: number,
): Laid {
  const busy: Busy[] = []
  const ends = new Map<string, number>()
  const unplaced: UnlaidStage[] = []
  const lay = (stage: Stage): UnlaidReason | LaidStage => {
    const lengthMs = stage.minutes * minuteMs
    const occurrences = occurrencesOf(stage.cluster)
    if (occurrences.length === 0) return 'no-window'
    if (!occurrences.some(({ start, end }) => end - start >= lengthMs)) return 'window-too-short'
    const waits = stage.after ?? []
    if (waits.some((name) => !ends.has(name))) return 'waits-for-unplaced'
    const earliest = Math.max(from, ...waits.map((name) => ends.get(name) ?? from))
    let best: number | null = null
    for (const occurrence of occurrences) {
      if (best !== null && occurrence.start >= best) break
      const start = startWithin(occurrence, earliest, lengthMs, until, (at) =>
        hindered(at, at + lengthMs, stage.cluster, busy, atOnce),
      )
      if (start !== null && (best === null || start < best)) best = start
    }
    return best === null ? 'no-room' : { name: stage.name, start: best, end: best + lengthMs }
  }
  for (const stage of stages) {
    const laid = lay(stage)
    if (typeof laid === 'string') {
      const missing = (stage.after ?? []).find((name) => !ends.has(name)) ?? ''
      unplaced.push({ name: stage.name, reason: laid, says: reasonText[laid](stage, missing) })
    } else {
      ends.set(stage.name, laid.end)
      busy.push({ ...laid, cluster: stage.cluster })
    }
  }
  return {
    placed: busy.map(({ name, start, end }) => ({ name, start, end })),
    unplaced,
  }
}

export interface StageMistake {
  /** As a field is named in an error: `stages[3].after[0]`. */
  readonly path: string
  readonly says: string
}

/** The first thing that keeps stages from being laid: a name twice, or a wait for what comes later or is not there. */
export function stageMistake(stages: readonly Stage[]): StageMistake | null {
  const before = new Set<string>()
  const all = new Set(stages.map(({ name }) => name))
  for (const [index, { name, after = [] }] of stages.entries()) {
    if (before.has(name))
      return {
        path: `stages[${index}].name`,
        says: `The stage ${name} is given twice. Give each a name of its own.`,
      }
    const nth = after.findIndex((wanted) => !before.has(wanted))
    if (nth >= 0) {
      const wanted = after[nth] ?? ''
      return {
        path: `stages[${index}].after[${nth}]`,
        says: all.has(wanted)
          ? `${name} waits for ${wanted}, which does not come before it. Put ${wanted} first.`
          : `There is no stage ${wanted} for ${name} to wait for.`,
      }
    }
    before.add(name)
  }
  return null
}
