/**
 * The steps of an add-on along the path of its control plane. At every moment the installed version fits the control plane;
 * a step goes to a version that replaces the installed one, while both fit. The fewest steps; of these each as late as it
 * may be, compared from the first on; then the highest versions, compared from the first on.
 *
 * The least steps left are counted backwards from the end of the path; the places of the steps are then settled forwards
 * with every version that is still possible, and the versions last. O(path × (versions + replacements)) but for the sorting.
 */
import { parseVersion } from '../units'
import { byVersion } from './path'

export interface AddOnVersion {
  readonly version: string
  /** The minors of the control plane that it fits, as `1.29`; absent is open. */
  readonly min?: string | null | undefined
  readonly max?: string | null | undefined
  readonly replaces?: readonly string[] | undefined
}

export interface AddOnStep {
  /** The place in the path at which it is done, before the next step of the control plane. */
  readonly at: number
  readonly from: string
  readonly to: string
}

export type AddOnSteps =
  | { readonly ok: true; readonly steps: readonly AddOnStep[] }
  /** The first version of the path that cannot be reached with it. */
  | { readonly ok: false; readonly at: string; readonly reason: 'unknown' | 'unfit' | 'no-way' }

const minorOf = (text: string): number => {
  const [major = 0, minor = 0] = text.split('.').map(Number)
  return major * 100_000 + minor
}

/** Whether a version fits the minor of a release. */
export function fits({ min, max }: AddOnVersion, release: string): boolean {
  const read = parseVersion(release)
  if (!read) return false
  const minor = read.major * 100_000 + read.minor
  return (
    (min === undefined || min === null || minorOf(min) <= minor) &&
    (max === undefined || max === null || minor <= minorOf(max))
  )
}

class Way {
  /** For each place of the path, the versions that fit there. */
  private readonly fitting: readonly ReadonlySet<string>[]
  /** What each version can be replaced by. */
  private readonly successors: ReadonlyMap<string, readonly string[]>
  /** For each place, the fewest steps to the end from each version that has a way there. */
  private readonly left: readonly ReadonlyMap<string, number>[]

  constructor(
    private readonly path: readonly string[],
    private readonly versions: readonly AddOnVersion[],
  ) {
    this.fitting = path.map(
      (release) =>
        new Set(versions.filter((of) => fits(of, release)).map(({ version }) => version)),
    )
    const successors = new Map<string, string[]>()
    for (const { version, replaces = [] } of versions)
      for (const older of new Set(replaces))
        if (older !== version) successors.set(older, [...(successors.get(older) ?? []), version])
    this.successors = successors
    this.left = this.stepsLeft()
  }

  private isFit(version: string, at: number): boolean {
    return this.fitting[at]?.has(version) ?? false
  }

  private stepsLeft(): readonly ReadonlyMap<string, number>[] {
    const all: ReadonlyMap<string, number>[] = []
    let after: ReadonlyMap<string, number> | null = null
    for (let at = this.path.length - 1; at >= 0; at -= 1) {
      const here = this.withSteps(at, after)
      all.unshift(here)
      after = here
    }
    return all
  }

  /** Without a step a version has what it has left at the next place; with one, a step more than its successor. */
  private withSteps(
    at: number,
    after: ReadonlyMap<string, number> | null,
  ): ReadonlyMap<string, number> {
    const here = new Map<string, number>()
    const buckets: string[][] = []
    const put = (version: string, steps: number): void => {
      ;(buckets[steps] ??= []).push(version)
    }
    for (const version of this.fitting[at] ?? []) {
      const steps = after === null ? 0 : after.get(version)
      if (steps !== undefined) put(version, steps)
    }
    const predecessors = new Map(
      this.versions.map(({ version, replaces = [] }) => [version, replaces] as const),
    )
    for (let steps = 0; steps < buckets.length; steps += 1)
      for (const version of buckets[steps] ?? []) {
        if (here.has(version)) continue
        here.set(version, steps)
        for (const older of predecessors.get(version) ?? [])
          if (older !== version && this.isFit(older, at) && !here.has(older)) put(older, steps + 1)
      }
    return here
  }

  /** The first place that cannot be reached from a version that fits at the beginning; null where all can. */
  firstUnreached(version: string): number | null {
    let reached = this.closed([version], 0)
    for (let at = 1; at < this.path.length; at += 1) {
      const kept = [...reached].filter((entry) => this.isFit(entry, at))
      if (kept.length === 0) return at
      reached = this.closed(kept, at)
    }
    return null
  }

  /** All that can be had at a place by steps from some versions. */
  private closed(from: readonly string[], at: number): ReadonlySet<string> {
    const reached = new Set(from)
    for (const version of reached)
      for (const next of this.successors.get(version) ?? [])
        if (this.isFit(next, at)) reached.add(next)
    return reached
  }

  /** Until which place a version that fits at one can stay without a step. */
  private staysUntil(version: string, from: number): number {
    let at = from
    while (at + 1 < this.path.length && this.isFit(version, at + 1)) at += 1
    return at
  }

  steps(version: string): readonly AddOnStep[] {
    const total = this.left[0]?.get(version) ?? 0
    const layers: (readonly string[])[] = [[version]]
    const places: number[] = []
    let place = 0
    for (let left = total - 1; left >= 0; left -= 1) {
      const from = layers.at(-1) ?? []
      const here = this.latest(from, place, left)
      places.push(here.at)
      layers.push(here.versions)
      place = here.at
    }
    return this.chosen(layers, places)
  }

  /** The latest place at which a step from one of some versions leaves so many steps, and what it can lead to. */
  private latest(
    from: readonly string[],
    place: number,
    left: number,
  ): { readonly at: number; readonly versions: readonly string[] } {
    const until = new Map(from.map((version) => [version, this.staysUntil(version, place)]))
    for (let at = Math.max(...until.values()); at >= place; at -= 1) {
      const versions = new Set<string>()
      for (const version of from) {
        if ((until.get(version) ?? -1) < at) continue
        for (const next of this.successors.get(version) ?? [])
          if (this.left[at]?.get(next) === left) versions.add(next)
      }
      if (versions.size > 0) return { at, versions: [...versions] }
    }
    return { at: place, versions: [] }
  }

  /** Of the versions that are possible at each step the highest, from the first on, that the later ones can follow. */
  private chosen(
    layers: readonly (readonly string[])[],
    places: readonly number[],
  ): readonly AddOnStep[] {
    const canFollow = (version: string, next: string, nth: number): boolean => {
      const at = places[nth] ?? 0
      const since = nth === 0 ? 0 : (places[nth - 1] ?? 0)
      return (
        (this.successors.get(version) ?? []).includes(next) && this.staysUntil(version, since) >= at
      )
    }
    const open: Set<string>[] = layers.map((layer) => new Set(layer))
    for (let nth = layers.length - 2; nth >= 0; nth -= 1)
      for (const version of layers[nth] ?? [])
        if (![...(open[nth + 1] ?? [])].some((next) => canFollow(version, next, nth)))
          open[nth]?.delete(version)
    const steps: AddOnStep[] = []
    let current = layers[0]?.[0] ?? ''
    for (const [nth, at] of places.entries()) {
      const [to] = [...(open[nth + 1] ?? [])]
        .filter((next) => canFollow(current, next, nth))
        .sort((a, b) => byVersion(b, a))
      if (to === undefined) break
      steps.push({ at, from: current, to })
      current = to
    }
    return steps
  }
}

/** The steps of one add-on, whose installed version and all others are given, along a path. */
export function addOnSteps(
  path: readonly string[],
  installed: string,
  versions: readonly AddOnVersion[],
): AddOnSteps {
  const [from = ''] = path
  const own = versions.find(({ version }) => version === installed)
  if (!own) return { ok: false, at: from, reason: 'unknown' }
  if (!fits(own, from)) return { ok: false, at: from, reason: 'unfit' }
  const way = new Way(path, versions)
  const unreached = way.firstUnreached(installed)
  return unreached === null
    ? { ok: true, steps: way.steps(installed) }
    : { ok: false, at: path[unreached] ?? from, reason: 'no-way' }
}
