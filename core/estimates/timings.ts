/**
 * How long work takes, learnt from how long it took: by verb, site and machine size. Likely is the median, worst the
 * 95th percentile of what was observed last, once there is enough of it; until then what is known beforehand counts.
 */
import { type Plan, type Step, longestPath } from '../changes'
import { type Command, readCommand } from '../contract'
import { quantile } from '../units'

/** What was observed of one kind of work. */
export interface Timing {
  /** In how many runs. */
  readonly runs: number
  readonly samples: number
  /** Seconds. */
  readonly likely: number
  readonly worst: number
}

/** By `verb|site|size`, and by `verb|site|` over all sizes. */
export type Timings = Readonly<Record<string, Timing>>

/** One piece of work that has ended well at its first attempt. */
export interface Sample {
  readonly change: number
  readonly seconds: number
}

/** So many runs it takes before they count. */
export const fewestRuns = 5
/** So many of the last samples count: work that has become slower is soon seen to be. */
export const mostSamples = 40

export interface Work {
  readonly verb: string
  readonly site: string
  /** A machine size, or empty. */
  readonly size: string
}

export const timingKey = ({ verb, site, size }: Work): string => `${verb}|${site}|${size}`

/**
 * What a command is work of, and where; null where its time is not that of the outside: Gyrarch’s own register, and
 * whatever waits for a person. `siteOf` knows where a cluster stands.
 */
export function workOf(
  command: Pick<Command, 'verb' | 'args'>,
  siteOf: (cluster: string) => string | undefined,
): Work | null {
  const read = readCommand(command.verb, command.args)
  if (
    !read.ok ||
    read.definition.port === 'ledger' ||
    read.definition.port === 'desk' ||
    read.definition.awaits
  )
    return null
  const [kind, name = ''] = read.definition.at(read.args).split('/')
  const site = kind === 'site' ? name : siteOf(name)
  if (site === undefined) return null
  const { size } = command.args
  return { verb: command.verb, site, size: typeof size === 'string' ? size : '' }
}

/** What samples say, the last of them; oldest first. */
export function timingOf(samples: readonly Sample[]): Timing {
  const last = samples.slice(-mostSamples)
  const sorted = last.map(({ seconds }) => seconds).sort((a, b) => a - b)
  return {
    runs: new Set(last.map(({ change }) => change)).size,
    samples: last.length,
    likely: Math.round(quantile(sorted, 0.5)),
    worst: Math.ceil(quantile(sorted, 0.95)),
  }
}

/** What is known of a piece of work: of its size, else of all sizes; null while it is too little. */
export function timingFor(timings: Timings, work: Work): Timing | null {
  for (const key of [timingKey(work), timingKey({ ...work, size: '' })]) {
    const timing = timings[key]
    if (timing && timing.runs >= fewestRuns) return timing
  }
  return null
}

/** The site of each cluster that a plan makes: where its other steps are. */
function sitesOfNew(plan: Plan): ReadonlyMap<string, string> {
  const site = plan.steps.flatMap(({ command }) => {
    const read = readCommand(command.verb, command.args)
    const at = read.ok ? read.definition.at(read.args).split('/') : []
    return at[0] === 'site' && at[1] !== undefined ? [at[1]] : []
  })[0]
  return new Map(
    plan.creates.flatMap((ref) => {
      const [kind, name] = ref.split('/')
      return kind === 'cluster' && name !== undefined && site !== undefined
        ? [[name, site] as const]
        : []
    }),
  )
}

/** Where clusters stand, those among them that a plan is about to make. */
export function placesIn(
  plan: Plan,
  clusters: readonly { readonly name: string; readonly site: string }[],
): (cluster: string) => string | undefined {
  const standsAt = new Map(clusters.map(({ name, site }) => [name, site]))
  const made = sitesOfNew(plan)
  return (cluster) => standsAt.get(cluster) ?? made.get(cluster)
}

/** A plan with what was observed in place of what was assumed. The same plan where nothing was. */
export function withObserved(
  plan: Plan,
  timings: Timings,
  clusters: readonly { readonly name: string; readonly site: string }[],
): Plan {
  const siteOf = placesIn(plan, clusters)
  let isOther = false
  const steps = plan.steps.map((step): Step => {
    const work = workOf(step.command, siteOf)
    const timing = work && timingFor(timings, work)
    if (!timing || step.seconds.runs === timing.runs) return step
    isOther = true
    return {
      ...step,
      seconds: {
        likely: timing.likely,
        worst: Math.max(timing.worst, timing.likely),
        runs: timing.runs,
      },
    }
  })
  return isOther ? { ...plan, steps, ...longestPath(steps) } : plan
}
