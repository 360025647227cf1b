/** How long what runs is supported: releases by minor line, and where each cluster stands on a day. */
import { compareReleases, minorLine, minorsBehind } from '../units'
import type { Release } from './release'
import { isTooOld } from './skew'

const dayMs = 86_400_000

export interface MinorLine {
  readonly minor: string
  /** ISO dates: of its first patch, and of the last day on which one of its patches is supported. */
  readonly from: string
  readonly until: string
  readonly patches: readonly string[]
}

/** The minors of a catalogue, newest first. */
export function minorLines(catalogue: readonly Release[]): readonly MinorLine[] {
  const lines = new Map<string, Release[]>()
  for (const release of catalogue) {
    const minor = minorLine(release.version)
    lines.set(minor, [...(lines.get(minor) ?? []), release])
  }
  return [...lines]
    .map(([minor, releases]) => ({
      minor,
      from: releases.map(({ released }) => released).sort()[0] ?? '',
      until:
        releases
          .map(({ endOfSupport }) => endOfSupport)
          .sort()
          .at(-1) ?? '',
      patches: releases.map(({ version }) => version).sort(compareReleases),
    }))
    .sort((a, b) => compareReleases(`${b.minor}.0`, `${a.minor}.0`))
}

/** A cluster, as far as its support asks. */
export interface SupportedCluster {
  readonly name: string
  readonly site: string
  readonly release: string
  readonly controlPlane: { readonly kind: 'own' | 'managed' }
  readonly pools: readonly {
    readonly name: string
    readonly nodes: readonly { readonly release: string }[]
  }[]
}

export type SupportState = 'supported' | 'ending' | 'lapsed' | 'unknown'

export interface PoolSupport {
  readonly name: string
  /** The oldest that one of its nodes runs. */
  readonly release: string
  /** Minors behind the control plane. */
  readonly behind: number
}

export interface ClusterSupport {
  readonly cluster: string
  readonly site: string
  readonly release: string
  readonly minor: string
  /** The last supported day (ISO date); null where the catalogue does not have it. */
  readonly until: string | null
  /** Whole days from the day asked for; negative once it is over. */
  readonly daysLeft: number | null
  readonly state: SupportState
  /** Pools that run another release than the control plane. */
  readonly pools: readonly PoolSupport[]
  /** The release that its cloud will have moved a managed control plane to by then, asked or not; null where it will not. */
  readonly movedTo: string | null
  /** Pools whose agents will then be too old for the control plane. */
  readonly tooOld: readonly string[]
}

/** From how many days before its end a release is to be left. */
export const endingDays = 90

function stateOf(daysLeft: number | null): SupportState {
  if (daysLeft === null) return 'unknown'
  if (daysLeft < 0) return 'lapsed'
  return daysLeft <= endingDays ? 'ending' : 'supported'
}

/**
 * Where a cloud will have moved a managed control plane by a day (ISO date): after the last supported day of each minor
 * to the newest patch of the next that was out by then and not withdrawn. Null where it stays.
 */
function movedBy(catalogue: readonly Release[], release: string, day: string): string | null {
  let at = release
  for (;;) {
    const own = catalogue.filter(({ version }) => minorLine(version) === minorLine(at))
    const end = own
      .map(({ endOfSupport }) => endOfSupport)
      .sort()
      .at(-1)
    if (end === undefined || end >= day) break
    const [next] = catalogue
      .filter(
        ({ version, released, withdrawn }) =>
          minorsBehind(version, at) === 1 && withdrawn === null && released <= day,
      )
      .map(({ version }) => version)
      .sort((a, b) => compareReleases(b, a))
    if (next === undefined) break
    at = next
  }
  return at === release ? null : at
}

/** Where clusters stand on a day (ISO date): what has lapsed first, then by what is left. */
export function supportOn(
  clusters: readonly SupportedCluster[],
  catalogue: readonly Release[],
  day: string,
): readonly ClusterSupport[] {
  const until = new Map(catalogue.map(({ version, endOfSupport }) => [version, endOfSupport]))
  return clusters
    .map(({ name, site, release, controlPlane, pools }): ClusterSupport => {
      const end = until.get(release) ?? null
      const movedTo = controlPlane.kind === 'managed' ? movedBy(catalogue, release, day) : null
      const daysLeft = end === null ? null : Math.round((Date.parse(end) - Date.parse(day)) / dayMs)
      return {
        cluster: name,
        site,
        release,
        minor: minorLine(release),
        until: end,
        daysLeft,
        state: stateOf(daysLeft),
        pools: pools.flatMap((pool) => {
          const [oldest] = pool.nodes.map((node) => node.release).sort(compareReleases)
          return oldest === undefined || oldest === release
            ? []
            : [{ name: pool.name, release: oldest, behind: minorsBehind(release, oldest) }]
        }),
        movedTo,
        tooOld: pools
          .filter(({ nodes }) => nodes.some((node) => isTooOld(node.release, movedTo ?? release)))
          .map((pool) => pool.name),
      }
    })
    .sort((a, b) => (a.daysLeft ?? Infinity) - (b.daysLeft ?? Infinity))
}
