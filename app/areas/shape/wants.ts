/** What wants attention about rest and spend, in a few words each. */
import { countText, listText, numberText } from '~/core/units'

export interface RestRow {
  readonly name: string
  readonly resting: boolean
  /** Whether its calendar has it rest now; null where it has none. */
  readonly isMeantToRest: boolean | null
}

/** Clusters that do not what their calendar says: somebody stopped or started them by hand, or nothing could. */
export function restWants(rows: readonly RestRow[]): readonly string[] {
  const names = (isResting: boolean): readonly string[] =>
    rows
      .filter(({ resting, isMeantToRest }) => isMeantToRest === !isResting && resting === isResting)
      .map(({ name }) => name)
  const [awake, asleep] = [names(false), names(true)]
  return [
    ...(awake.length > 0 ? [`up though the calendar has them rest: ${listText(awake, 3)}`] : []),
    ...(asleep.length > 0
      ? [`at rest though the calendar has them up: ${listText(asleep, 3)}`]
      : []),
  ]
}

export function restWell(rows: readonly RestRow[]): string {
  const planned = rows.filter(({ isMeantToRest }) => isMeantToRest !== null).length
  return planned === 0
    ? 'no cluster has a calendar'
    : `${countText(planned, 'calendar')}, ${planned === 1 ? 'kept' : 'all kept'}`
}

/** Units over a time (ms). */
export interface Paced {
  readonly units: number
  readonly ms: number
}

/** A tenth above what the month has cost so far, or more than two fifths asked for by nobody, are worth a word. */
const faster = 1.1
const mostIdle = 0.4

const percent = (share: number): string => `${numberText(100 * share, 0)} %`

/** What is spent at another pace than so far, and what of it nobody asks for (a share; null where that is not known). */
export function spendWants({
  soFar,
  coming,
  idle,
}: {
  readonly soFar: Paced
  readonly coming: Paced
  readonly idle: number | null
}): readonly string[] {
  const before = soFar.ms > 0 ? soFar.units / soFar.ms : 0
  const now = coming.ms > 0 ? coming.units / coming.ms : 0
  return [
    ...(before > 0 && now > before * faster
      ? [`costs ${percent(now / before - 1)} more an hour than this month so far`]
      : []),
    ...(idle !== null && idle > mostIdle ? [`${percent(idle)} of it is asked for by nobody`] : []),
  ]
}
