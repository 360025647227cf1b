/**
 * Right sizes: what pods ask for against what they used, as the 95th percentile of the last day. What is proposed has a margin
 * above it; a workload that was ended for its memory is proposed more, whatever it used before.
 */
import type { Said } from '../contract'
import { said } from './says'

export interface UseFacts {
  readonly workload: string
  readonly pods: number
  readonly requestCpuMilli: number
  readonly requestMemoryBytes: number
  /** Samples of one pod. */
  readonly cpuMilli: readonly number[]
  readonly memoryBytes: readonly number[]
  readonly memoryKills: number
  /** Part of 1 of the time in which its CPU limit held it back. */
  readonly throttled: number
}

/** `used` is null where there are no figures yet. */
export interface SizeOf {
  readonly asked: number
  readonly used: number | null
  readonly proposed: number
}

export interface RightSize extends Said {
  readonly workload: string
  readonly pods: number
  readonly cpu: SizeOf
  readonly memory: SizeOf
  readonly memoryKills: number
  readonly throttled: number
  /** What the proposal frees over all pods; below 0 where it takes more. */
  readonly frees: { readonly cpuMilli: number; readonly memoryBytes: number }
}

const MiB = 1024 ** 2
/** Above what was used: a seventh for cpu, a quarter for memory, which cannot be squeezed. */
const cpuMargin = 1.15
const memoryMargin = 1.25
/** From this part of the time on, being held back counts. */
const throttledShare = 0.05
/** A sample every five minutes: from an hour on a proposal is made. */
const fewestSamples = 12
const sampleMinutes = 5

/** As it is, because too little is known of its use to propose anything. */
function unproposed(fact: UseFacts): RightSize {
  const samples = Math.min(fact.cpuMilli.length, fact.memoryBytes.length)
  const used = (of: readonly number[]): number | null =>
    samples === 0 ? null : percentile(of, 0.95)
  return {
    workload: fact.workload,
    pods: fact.pods,
    cpu: {
      asked: fact.requestCpuMilli,
      used: used(fact.cpuMilli),
      proposed: fact.requestCpuMilli,
    },
    memory: {
      asked: fact.requestMemoryBytes,
      used: used(fact.memoryBytes),
      proposed: fact.requestMemoryBytes,
    },
    memoryKills: fact.memoryKills,
    throttled: fact.throttled,
    frees: { cpuMilli: 0, memoryBytes: 0 },
    ...(samples === 0
      ? said('no-figures')
      : said('few-figures', { minutes: samples * sampleMinutes })),
  }
}

/** The value below which a share of the samples lie (nearest rank); 0 without samples. */
export function percentile(samples: readonly number[], share: number): number {
  if (samples.length === 0) return 0
  const sorted = [...samples].sort((a, b) => a - b)
  return sorted[Math.min(sorted.length - 1, Math.max(0, Math.ceil(share * sorted.length) - 1))] ?? 0
}

/** Of which of the two something holds. */
const bothOf = (cpu: boolean, memory: boolean): readonly string[] => [
  ...(cpu ? ['CPU'] : []),
  ...(memory ? ['memory'] : []),
]

const up = (value: number, step: number): number => Math.ceil(value / step) * step

/** A proposal for each workload, what frees most CPU first. Within a tenth of what is asked for nothing is proposed. */
export function rightSizes(facts: readonly UseFacts[]): readonly RightSize[] {
  return facts
    .map((fact): RightSize => {
      if (Math.min(fact.cpuMilli.length, fact.memoryBytes.length) < fewestSamples)
        return unproposed(fact)
      const cpuUsed = percentile(fact.cpuMilli, 0.95)
      const memoryUsed = percentile(fact.memoryBytes, 0.95)
      const near = (proposed: number, requested: number): number =>
        Math.abs(proposed - requested) * 10 <= requested ? requested : proposed
      const isThrottled = fact.throttled >= throttledShare
      const enough = Math.max(10, up(cpuUsed * cpuMargin, 10))
      // One that is held back shows less than it would use: it is not given less.
      const cpu = near(
        isThrottled ? Math.max(enough, fact.requestCpuMilli) : enough,
        fact.requestCpuMilli,
      )
      const wanted = up(memoryUsed * memoryMargin, 16 * MiB)
      const memory =
        fact.memoryKills > 0
          ? Math.max(wanted, up(fact.requestMemoryBytes * memoryMargin, 16 * MiB))
          : near(Math.max(16 * MiB, wanted), fact.requestMemoryBytes)
      const frees = {
        cpuMilli: (fact.requestCpuMilli - cpu) * fact.pods,
        memoryBytes: (fact.requestMemoryBytes - memory) * fact.pods,
      }
      let what: Said
      if (fact.memoryKills > 0) what = said('memory-kills', { memoryKills: fact.memoryKills })
      else if (isThrottled) what = said('throttled', { percent: Math.round(100 * fact.throttled) })
      else if (cpuUsed > fact.requestCpuMilli || memoryUsed > fact.requestMemoryBytes)
        what = said('above-request', {
          what: bothOf(cpuUsed > fact.requestCpuMilli, memoryUsed > fact.requestMemoryBytes),
        })
      else if (cpu < fact.requestCpuMilli || memory < fact.requestMemoryBytes)
        what = said('below-request', {
          what: bothOf(cpu < fact.requestCpuMilli, memory < fact.requestMemoryBytes),
        })
      else what = said('fits')
      return {
        workload: fact.workload,
        pods: fact.pods,
        cpu: { asked: fact.requestCpuMilli, used: cpuUsed, proposed: cpu },
        memory: { asked: fact.requestMemoryBytes, used: memoryUsed, proposed: memory },
        memoryKills: fact.memoryKills,
        throttled: fact.throttled,
        frees,
        ...what,
      }
    })
    .sort((a, b) => b.memoryKills - a.memoryKills || b.frees.cpuMilli - a.frees.cpuMilli)
}

/**
 * What is proposed for a pod, shared out over its containers as they share what is asked now: whole units that add up to
 * it exactly. Where nothing is asked yet the first container asks for all.
 */
export function sharedOut(total: number, parts: readonly number[]): readonly number[] {
  const sum = parts.reduce((all, part) => all + part, 0)
  if (sum === 0) return parts.map((_, index) => (index === 0 ? total : 0))
  const exact = parts.map((part) => (total * part) / sum)
  const shares = exact.map(Math.floor)
  const left = total - shares.reduce((all, share) => all + share, 0)
  // The rest goes to those that were cut most.
  const mostCut = exact
    .map((share, index) => ({ index, cut: share - Math.floor(share) }))
    .toSorted((a, b) => b.cut - a.cut || a.index - b.index)
  for (const { index } of mostCut.slice(0, left)) shares[index] = (shares[index] ?? 0) + 1
  return shares
}
