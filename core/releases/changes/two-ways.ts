/** An upgrade in place beside a second cluster, by what decides between them. */
import type { Finding, Plan } from '../../changes'
import type { SiteView } from '../../fleet'
import { spendMeanwhile } from './meanwhile'
import type { Second } from './second'

/** A draft as it was judged: its findings, and its plan where nothing stops it. */
export interface JudgedWay {
  readonly findings: readonly Finding[]
  readonly plan: Plan | null
}

export interface WayCost {
  /** What stands against it. */
  readonly stops: readonly string[]
  /** Seconds until all runs the release; null where something stands against it. */
  readonly seconds: { readonly likely: number; readonly worst: number } | null
  /** Units beyond what is spent now, once. */
  readonly spend: number | null
  /** Pods that leave their nodes while they are asked, or that are made anew in the second cluster. */
  readonly pods: number
  /** Seconds in which the API answers nobody. */
  readonly silentSeconds: number
}

export interface TwoWays {
  readonly inPlace: WayCost
  readonly beside: WayCost & { readonly soakSeconds: number; readonly second: Second }
}

/** How long the API of a single member is silent at each step of its control plane (s). */
const silentSeconds = 120

const stopsOf = ({ findings }: JudgedWay): readonly string[] =>
  findings.flatMap(({ level, says }) => (level === 'stop' ? [says] : []))

/** The sum of a number that findings of one code tell. */
const told = ({ findings }: JudgedWay, code: string, param: string): number =>
  findings.reduce(
    (sum, { code: own, params }) => (own === code ? sum + Number(params[param] ?? 0) : sum),
    0,
  )

/** Both ways, by their judged drafts. The second stands beside the first for a time (s) before that goes. */
export function twoWays(of: {
  readonly upgrade: JudgedWay
  readonly raise: JudgedWay
  readonly second: Second
  readonly site: SiteView
  readonly soakSeconds: number
}): TwoWays {
  const { upgrade, raise, second, site, soakSeconds } = of
  const { moves, perHour } = second
  const copying = moves.copySeconds ?? 0
  return {
    inPlace: {
      stops: stopsOf(upgrade),
      seconds: upgrade.plan?.seconds ?? null,
      spend: upgrade.plan?.spend.meanwhile ?? null,
      pods: told(upgrade, 'pool.moves', 'pods'),
      silentSeconds: silentSeconds * told(upgrade, 'member.single', 'moves'),
    },
    beside: {
      stops: stopsOf(raise),
      seconds: raise.plan && {
        likely: raise.plan.seconds.likely + copying,
        worst: raise.plan.seconds.worst + copying,
      },
      spend:
        raise.plan &&
        spendMeanwhile(raise.plan.steps, site) + (perHour * (copying + soakSeconds)) / 3600,
      pods: moves.pods,
      silentSeconds: 0,
      soakSeconds,
      second,
    },
  }
}
