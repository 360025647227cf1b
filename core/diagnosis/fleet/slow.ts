/** Sites at which everything takes longer than it usually does, by what steps of runs took. */
import { quantile } from '../../units'
import type { Trouble } from '../cases'
import { said } from './says'
import { type FleetCause, troubleOf } from './told'

/** A step that ended well at its first attempt. */
export interface TimedStep {
  readonly site: string
  readonly verb: string
  /** `c-3` */
  readonly change: string
  /** Seconds: what was likely, and what it took. */
  readonly likely: number
  readonly seconds: number
  /** ISO time at which it ended. */
  readonly at: string
}

/**
 * So many steps, whose median takes so many times what was likely: a step alone scatters by a quarter, so that the
 * median of twenty passes this by chance once in ten thousand times.
 */
const fewestSteps = 20
const slowFrom = 1.3
/** Steps shorter than this tell more of rounding than of their site (s). */
const shortest = 2
const mostFacts = 12

const times = ({ seconds, likely }: TimedStep): number => seconds / likely

/** The sites whose latest steps are slow, each a trouble of the runs there. O(n log n). */
export function slowTroubles(steps: readonly TimedStep[]): readonly Trouble<FleetCause>[] {
  const bySite = new Map<string, TimedStep[]>()
  for (const step of steps) {
    if (step.site === '' || step.likely < shortest) continue
    bySite.set(step.site, [...(bySite.get(step.site) ?? []), step])
  }
  return [...bySite].flatMap(([site, own]): readonly Trouble<FleetCause>[] => {
    const factor = quantile(
      own.map(times).toSorted((a, b) => a - b),
      0.5,
    )
    if (own.length < fewestSteps || factor < slowFrom) return []
    const subject = `site/${site}`
    const runs = [...new Set(own.map(({ change }) => change))]
    const { says } = said('fleet.slow', { site, times: factor })
    const slowest = own.toSorted((a, b) => times(b) - times(a)).slice(0, mostFacts)
    return [
      troubleOf({
        cluster: site,
        subject,
        key: `site-slow ${site}`,
        since: own.map(({ at }) => at).toSorted()[0] ?? null,
        symptom: said('fleet.slow-symptom', { site, runs }).says,
        cause: 'site-slow',
        says,
        chain: [
          { about: subject, says },
          ...runs.map((run) => ({ about: `change/${run}`, says: said('fleet.late').says })),
        ],
        because: slowest.map(({ verb, seconds, likely, change, at }) => ({
          type: 'status',
          about: `change/${change}`,
          at,
          text: said('fleet.slow-step', { verb, seconds: Math.round(seconds), likely }).says,
        })),
      }),
    ]
  })
}
