/** An upgrade of several clusters in time: what drives others first, each laid into its maintenance windows by its worst duration. */
import { type ClusterView, type FleetView, siteOf } from '../../fleet'
import { compareReleases, isoTime } from '../../units'
import { layStages } from '../../waves'
import { isCovered, occurrencesOf, windowNamed, windowsOf } from '../../windows'
import { findRelease } from '../release'
import { wavesAmong } from './drivers'
import { orderedUpgrade, turnedPools } from './order'
import { clusterUpgradeKind } from './upgrade'
import { movesOf, type PoolWay, wayOf } from './ways'

const dayMs = 86_400_000

/** How far ahead is looked for a window. */
export const laidDays = 60

export interface WaveMember {
  readonly cluster: string
  /** Counted from 1: all of a wave end before the next begins. */
  readonly wave: number
  /** The window that it begins in, by its name; null is any that covers it. */
  readonly window: string | null
  readonly pools: readonly PoolWay[]
}

export interface WaveLane {
  readonly cluster: string
  readonly from: string
  readonly to: string
  readonly wave: number
  /** Seconds; null where there is no way. */
  readonly seconds: { readonly likely: number; readonly worst: number } | null
  /** The maintenance window that it is laid into, by its name. */
  readonly window: string | null
  /** ISO times, or null where it could not be laid. */
  readonly laid: { readonly start: string; readonly end: string } | null
  readonly why: string | null
  /** Pods that cannot leave their nodes as it is. */
  readonly held: number
  /** Occurrences of its windows in the time that is looked at, ISO. */
  readonly open: readonly { readonly start: string; readonly end: string }[]
}

/** Clusters that go up to a release, in the waves that follow from what drives what. */
export function usualWaves(
  view: FleetView,
  names: readonly string[],
  to: string,
): readonly WaveMember[] {
  const release = findRelease(view.catalogue, to)
  const chosen = view.clusters.filter(
    ({ name, release: runs }) =>
      names.includes(name) && release && compareReleases(release.version, runs) > 0,
  )
  const waves = wavesAmong(chosen)
  return chosen
    .map(({ name }): WaveMember => ({
      cluster: name,
      wave: waves.get(name) ?? 1,
      window: null,
      pools: [],
    }))
    .sort((a, b) => a.wave - b.wave)
}

/** Pods that the pools of a cluster cannot be rid of. */
const heldPods = (view: FleetView, cluster: ClusterView, ways: readonly PoolWay[]): number =>
  turnedPools(cluster).reduce((sum, pool) => {
    const way = wayOf(ways, cluster, pool, siteOf(view, cluster.site))
    return sum + (movesOf(view, cluster, pool, way)?.drain.blocked.length ?? 0)
  }, 0)

/** Lanes of members on their way to a release, from now on. The view has what is published and the objects of each cluster. */
export function lanesOf(
  view: FleetView,
  members: readonly WaveMember[],
  to: string,
  atOnce: number,
  soakSeconds: number,
): readonly WaveLane[] {
  const release = findRelease(view.catalogue, to)
  const now = Date.parse(view.now)
  const until = now + laidDays * dayMs
  const lanes = members.flatMap((member) => {
    const { cluster: name } = member
    const cluster = view.clusters.find((candidate) => candidate.name === name)
    if (!cluster) return []
    const intent = {
      cluster: cluster.name,
      to: release?.version ?? to,
      pools: [...member.pools],
    }
    const upgrade = orderedUpgrade(intent, view)?.upgrade
    const hasWay = upgrade !== undefined && upgrade.problems.length === 0
    const named = member.window === null ? undefined : windowNamed(view, member.window)
    const windows = named ? [named] : windowsOf(view).filter((window) => isCovered(window, cluster))
    return [
      {
        wave: member.wave,
        asked: member.window,
        cluster,
        windows,
        open: occurrencesOf(windows, now, until),
        seconds: hasWay ? clusterUpgradeKind.plan(intent, view).seconds : null,
        problem: upgrade?.problems[0]?.says ?? null,
        held: hasWay ? heldPods(view, cluster, member.pools) : 0,
      },
    ]
  })
  const placed = new Map<string, { readonly start: number; readonly end: number }>()
  const unplaced = new Map<string, string>()
  let from = now
  for (const wave of [...new Set(members.map((member) => member.wave))].sort((a, b) => a - b)) {
    const done = layStages(
      lanes.flatMap(({ wave: own, cluster, seconds }) =>
        own === wave && seconds
          ? [
              {
                name: cluster.name,
                cluster: cluster.name,
                minutes: Math.max(1, Math.ceil(seconds.worst / 60)),
              },
            ]
          : [],
      ),
      (name) => lanes.find(({ cluster }) => cluster.name === name)?.open ?? [],
      atOnce,
      from,
      until,
    )
    for (const { name, start, end } of done.placed) placed.set(name, { start, end })
    for (const { name, says } of done.unplaced) unplaced.set(name, says)
    // The next wave waits for the last of this one.
    from = Math.max(from, ...done.placed.map(({ end }) => end + soakSeconds * 1000))
  }
  return lanes.map(({ wave, asked, cluster, windows, open, seconds, problem, held }): WaveLane => {
    const laid = placed.get(cluster.name)
    const holder = open.find(({ start, end }) => laid && start <= laid.start && laid.end <= end)
    return {
      cluster: cluster.name,
      from: cluster.release,
      to: release?.version ?? to,
      wave,
      seconds,
      window: holder?.window ?? asked ?? windows[0]?.name ?? null,
      laid: laid ? { start: isoTime(laid.start), end: isoTime(laid.end) } : null,
      why: problem ?? unplaced.get(cluster.name) ?? null,
      held,
      open: open.map(({ start, end }) => ({ start: isoTime(start), end: isoTime(end) })),
    }
  })
}

/** The lanes as an intent of `fleet.upgrade`: in order, each in its window. */
export const lanesIntent = (lanes: readonly WaveLane[], atOnce: number, soakSeconds: number) => ({
  to: lanes[0]?.to ?? '',
  clusters: lanes
    .filter(({ seconds }) => seconds !== null)
    .map(({ cluster, wave, window }) => ({ cluster, wave, window })),
  atOnce,
  soakSeconds,
})
