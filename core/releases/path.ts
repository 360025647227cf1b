/**
 * The way of a control plane from one release to another: the fewest hops over usable edges, and of equally short ways
 * the one whose versions are highest, compared from the first step on. Distances are searched backwards from the end;
 * the way is then walked forwards, always to the highest version that is still on a shortest way.
 * Cost: O((releases + edges) log releases).
 */
import { compareReleases, compareText, parseVersion } from '../units'

export interface CatalogueRelease {
  readonly version: string
  /** Why it is not to be used. */
  readonly withdrawn?: string | undefined
}

export interface ReleaseEdge {
  readonly from: string
  readonly to: string
  readonly withdrawn?: string | undefined
}

export interface CutEdge {
  readonly from: string
  readonly to: string
  readonly reason: string
}

export interface ReleasePath {
  /** From the first version to the last; null where there is none. */
  readonly path: readonly string[] | null
  /** The highest version that can be reached and is not above the target; null where there is a path. */
  readonly nearest: string | null
  /** The withdrawn edges that would open a path, in its order. */
  readonly cutBy: readonly CutEdge[]
}

export interface Catalogue {
  readonly releases: readonly CatalogueRelease[]
  readonly edges: readonly ReleaseEdge[]
}

interface Hop {
  readonly to: string
  /** Null where an edge stands. */
  readonly withdrawn: string | null
}

/** Withdrawn edges first, then hops: the smaller is the better. */
interface Cost {
  readonly cuts: number
  readonly hops: number
}

/** Whether an edge goes up, within its major and over one minor at most. */
function goesOneMinorUp(from: string, to: string): boolean {
  const [lower, upper] = [parseVersion(from), parseVersion(to)]
  return (
    lower !== null &&
    upper !== null &&
    lower.major === upper.major &&
    upper.minor - lower.minor <= 1 &&
    compareReleases(from, to) < 0
  )
}

/** Hops from each version to releases that are not withdrawn, highest first; of equal edges one that stands suffices. */
function hopsOf({ releases, edges }: Catalogue): ReadonlyMap<string, readonly Hop[]> {
  const withdrawnReleases = new Set(
    releases.flatMap(({ version, withdrawn }) => (withdrawn === undefined ? [] : version)),
  )
  const hops = new Map<string, Map<string, Hop>>()
  for (const { from, to, withdrawn } of edges) {
    if (withdrawnReleases.has(to) || !goesOneMinorUp(from, to)) continue
    const leaving = hops.get(from) ?? new Map<string, Hop>()
    hops.set(from, leaving)
    const before = leaving.get(to)
    if (!before || (before.withdrawn !== null && withdrawn === undefined))
      leaving.set(to, { to, withdrawn: withdrawn ?? null })
  }
  return new Map(
    [...hops].map(([from, leaving]) => [
      from,
      [...leaving.values()].sort((a, b) => compareReleases(b.to, a.to)),
    ]),
  )
}

const compareCosts = (a: Cost, b: Cost): number => a.cuts - b.cuts || a.hops - b.hops

/**
 * The least cost from each version to `end`. Every hop goes up, so one pass over the versions from the highest down
 * settles each of them.
 */
function costsTo(
  end: string,
  hops: ReadonlyMap<string, readonly Hop[]>,
  mayCut: boolean,
): ReadonlyMap<string, Cost> {
  const costs = new Map<string, Cost>([[end, { cuts: 0, hops: 0 }]])
  const downwards = [...hops.keys()].sort((a, b) => compareReleases(b, a))
  for (const version of downwards) {
    if (version === end) continue
    let least: Cost | null = null
    for (const { to, withdrawn } of hops.get(version) ?? []) {
      const onwards = costs.get(to)
      if (!onwards || (withdrawn !== null && !mayCut)) continue
      const cost = { cuts: onwards.cuts + (withdrawn === null ? 0 : 1), hops: onwards.hops + 1 }
      if (!least || compareCosts(cost, least) < 0) least = cost
    }
    if (least) costs.set(version, least)
  }
  return costs
}

/** The hops of the cheapest way from `start`, the highest versions first; null where there is none. */
function cheapestWay(
  start: string,
  end: string,
  hops: ReadonlyMap<string, readonly Hop[]>,
  mayCut: boolean,
): readonly Hop[] | null {
  const costs = costsTo(end, hops, mayCut)
  if (!costs.has(start)) return null
  const way: Hop[] = []
  for (let at = start; at !== end;) {
    const left = costs.get(at)
    const next = (hops.get(at) ?? []).find(({ to, withdrawn }) => {
      const onwards = costs.get(to)
      return (
        left !== undefined &&
        onwards !== undefined &&
        (withdrawn === null || mayCut) &&
        onwards.cuts + (withdrawn === null ? 0 : 1) === left.cuts &&
        onwards.hops + 1 === left.hops
      )
    })
    if (!next) return null
    way.push(next)
    at = next.to
  }
  return way
}

/** Every version that standing edges lead to from `start`, itself included. */
function reachableFrom(
  start: string,
  hops: ReadonlyMap<string, readonly Hop[]>,
): ReadonlySet<string> {
  const reached = new Set([start])
  for (const version of reached) {
    for (const { to, withdrawn } of hops.get(version) ?? []) if (withdrawn === null) reached.add(to)
  }
  return reached
}

/**
 * The path from `from` to `to`, which is not below it; both are releases of the catalogue. `from` may be withdrawn, and
 * `[from]` is the path to itself. Without a path: how far one gets, and which withdrawn edges cut the way.
 */
export function releasePath(catalogue: Catalogue, from: string, to: string): ReleasePath {
  if (from === to) return { path: [from], nearest: null, cutBy: [] }
  const hops = hopsOf(catalogue)
  const way = cheapestWay(from, to, hops, false)
  if (way) return { path: [from, ...way.map((hop) => hop.to)], nearest: null, cutBy: [] }
  const nearest = [...reachableFrom(from, hops)]
    .filter((version) => compareReleases(version, to) <= 0)
    .sort((a, b) => compareReleases(b, a))[0]
  const opened = cheapestWay(from, to, hops, true) ?? []
  const starts = [from, ...opened.map((hop) => hop.to)]
  return {
    path: null,
    nearest: nearest ?? from,
    cutBy: opened.flatMap((hop, index) =>
      hop.withdrawn === null
        ? []
        : { from: starts[index] ?? from, to: hop.to, reason: hop.withdrawn },
    ),
  }
}

export interface CatalogueMistake {
  /** As a field is named in an error: `edges[3].to`. */
  readonly path: string
  readonly says: string
}

/** The first thing that keeps a catalogue from being read: a version twice, or an edge whose end is no release. */
export function catalogueMistake({ releases, edges }: Catalogue): CatalogueMistake | null {
  const versions = new Set<string>()
  for (const [index, { version }] of releases.entries()) {
    if (versions.has(version))
      return {
        path: `releases[${index}].version`,
        says: `The release ${version} is in the catalogue twice. Leave one out.`,
      }
    versions.add(version)
  }
  for (const [index, edge] of edges.entries()) {
    const field = (['from', 'to'] as const).find((end) => !versions.has(edge[end]))
    if (field)
      return {
        path: `edges[${index}].${field}`,
        says: `There is no release ${edge[field]} in the catalogue. Add it, or leave the edge out.`,
      }
  }
  return null
}

/** What keeps a way from one version to another from being asked for: an end that is no release, or one that leads down. */
export function endsMistake(
  { releases }: Pick<Catalogue, 'releases'>,
  from: string,
  to: string,
): CatalogueMistake | null {
  for (const [path, version] of [
    ['from', from],
    ['to', to],
  ] as const)
    if (!releases.some((release) => release.version === version))
      return { path, says: `There is no release ${version} in the catalogue.` }
  return compareReleases(to, from) < 0
    ? {
        path: 'to',
        says: `${to} is below ${from}, and a control plane is not taken back. Ask for ${from} or above.`,
      }
    : null
}

/** Versions as they are listed: as numbers, and by their text where they are no release numbers. */
export const byVersion = (a: string, b: string): number =>
  compareReleases(a, b) || compareText(a, b)
