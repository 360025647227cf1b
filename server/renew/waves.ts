/** An upgrade of several clusters: what drives others first, each laid into its maintenance windows by its worst duration. */
import { clusterUpgradeKind, orderedUpgrade } from '~/core/releases/changes'
import type { ClusterView, FleetView } from '~/core/fleet'
import { findRelease } from '~/core/releases'
import { compareReleases, isoTime } from '~/core/units'
import { layStages } from '~/core/waves'
import { isCovered, occurrencesOf, windowsOf } from '~/core/windows'

const dayMs = 86_400_000

export interface WaveLane {
  readonly cluster: string
  readonly from: string
  readonly to: string
  /** Counted from 1: what drives others goes in an earlier wave than they. */
  readonly wave: number
  /** Seconds; null where there is no way. */
  readonly seconds: { readonly likely: number; readonly worst: number } | null
  /** The maintenance window that it is laid into, by its name. */
  readonly window: string | null
  /** ISO times, or null where it could not be laid. */
  readonly laid: { readonly start: string; readonly end: string } | null
  readonly why: string | null
  /** Occurrences of its windows in the time that is looked at, ISO. */
  readonly open: readonly { readonly start: string; readonly end: string }[]
}

/** Clusters by wave: those that drive others before them. One that is driven in a circle counts as driven by nobody. */
function waveOf(clusters: readonly ClusterView[]): ReadonlyMap<string, number> {
  const waves = new Map<string, number>()
  const drivers = (name: string): readonly string[] =>
    clusters.filter(({ drives }) => drives.includes(name)).map((driver) => driver.name)
  const of = (name: string, above: readonly string[]): number => {
    const counted = waves.get(name)
    if (counted !== undefined) return counted
    const wave =
      1 +
      Math.max(
        0,
        ...drivers(name)
          .filter((driver) => !above.includes(driver) && driver !== name)
          .map((driver) => of(driver, [...above, name])),
      )
    waves.set(name, wave)
    return wave
  }
  for (const { name } of clusters) of(name, [])
  return waves
}

/** Lanes of some clusters on their way to a release, over so many days from now. The view has what is published. */
export function wavesOf(
  view: FleetView,
  names: readonly string[],
  to: string,
  atOnce: number,
  days: number,
): readonly WaveLane[] {
  const release = findRelease(view.catalogue, to)
  const now = Date.parse(view.now)
  const chosen = view.clusters.filter(
    ({ name, release: runs }) =>
      names.includes(name) && release && compareReleases(release.version, runs) > 0,
  )
  const waves = waveOf(chosen)
  const ordered = [...chosen].sort((a, b) => (waves.get(a.name) ?? 1) - (waves.get(b.name) ?? 1))
  const lanes = ordered.map((cluster) => {
    const intent = { cluster: cluster.name, to: release?.version ?? to }
    const upgrade = orderedUpgrade(intent, view)?.upgrade
    const hasWay = upgrade !== undefined && upgrade.problems.length === 0
    const windows = windowsOf(view).filter((window) => isCovered(window, cluster))
    return {
      cluster,
      windows,
      open: occurrencesOf(windows, now, now + days * dayMs),
      seconds: hasWay ? clusterUpgradeKind.plan(intent, view).seconds : null,
      problem: upgrade?.problems[0]?.says ?? null,
    }
  })
  const stages = lanes.flatMap(({ cluster, seconds }) =>
    seconds
      ? [
          {
            name: cluster.name,
            cluster: cluster.name,
            minutes: Math.max(1, Math.ceil(seconds.worst / 60)),
            after: lanes
              .filter(
                (driver) =>
                  driver.seconds &&
                  driver.cluster.drives.includes(cluster.name) &&
                  (waves.get(driver.cluster.name) ?? 1) < (waves.get(cluster.name) ?? 1),
              )
              .map((driver) => driver.cluster.name),
          },
        ]
      : [],
  )
  const { placed, unplaced } = layStages(
    stages,
    (name) => lanes.find(({ cluster }) => cluster.name === name)?.open ?? [],
    atOnce,
    now,
    now + days * dayMs,
  )
  return lanes.map(({ cluster, windows, open, seconds, problem }): WaveLane => {
    const laid = placed.find(({ name }) => name === cluster.name)
    const holder = open.find(({ start, end }) => laid && start <= laid.start && laid.end <= end)
    return {
      cluster: cluster.name,
      from: cluster.release,
      to: release?.version ?? to,
      wave: waves.get(cluster.name) ?? 1,
      seconds,
      window: holder?.window ?? windows[0]?.name ?? null,
      laid: laid ? { start: isoTime(laid.start), end: isoTime(laid.end) } : null,
      why: problem ?? unplaced.find(({ name }) => name === cluster.name)?.says ?? null,
      open: open.map(({ start, end }) => ({ start: isoTime(start), end: isoTime(end) })),
    }
  })
}

/** The lanes as one change: in order, each in its window, so many at once; what is broken keeps the next from beginning. */
export const wavesIntent = (lanes: readonly WaveLane[], atOnce: number, soakSeconds: number) => ({
  label: `to ${lanes[0]?.to ?? 'another release'}`,
  drafts: lanes
    .filter(({ seconds }) => seconds !== null)
    .map(({ cluster, to, window }) => ({
      kind: 'cluster.upgrade',
      intent: { cluster, to },
      window,
    })),
  atOnce,
  soakSeconds,
  requires: 'well' as const,
  onFailure: 'halt' as const,
})
