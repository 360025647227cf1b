/** Maintenance windows as they are kept: what each covers, when each is next, which clusters have none. */
import type { ClusterView, FleetView, WindowView } from '../fleet'
import { type Occurrence, occurrences } from './occurrences'

const dayMs = 86_400_000
/** Windows that are rarer than this are looked for no further. */
const farthestMs = 800 * dayMs

export const windowsOf = (view: FleetView): readonly WindowView[] => view.windows ?? []

export const windowNamed = (view: FleetView, name: string): WindowView | undefined =>
  windowsOf(view).find((window) => window.name === name)

/** A cluster is covered where it is named, or where it has every label that the window names. */
export const isCovered = (
  window: Pick<WindowView, 'clusters' | 'labels'>,
  cluster: Pick<ClusterView, 'name' | 'labels'>,
): boolean => {
  const labels = Object.entries(window.labels)
  return (
    window.clusters.includes(cluster.name) ||
    (labels.length > 0 && labels.every(([key, value]) => cluster.labels[key] === value))
  )
}

/** The clusters that a window covers, as they are listed. */
export const coveredBy = (view: FleetView, window: WindowView): readonly string[] =>
  view.clusters.filter((cluster) => isCovered(window, cluster)).map(({ name }) => name)

/** The clusters that no window covers. */
export const uncovered = (view: FleetView): readonly string[] =>
  view.clusters
    .filter((cluster) => !windowsOf(view).some((window) => isCovered(window, cluster)))
    .map(({ name }) => name)

export const specOf = (window: WindowView) => ({
  name: window.name,
  start: window.start,
  zone: window.zone,
  minutes: window.minutes,
  ...(window.rule === null ? {} : { rule: window.rule }),
  except: window.except,
})

/** When some windows are between two times (ms), in order. Unreadable ones were never kept. */
export function occurrencesOf(
  windows: readonly WindowView[],
  from: number,
  until: number,
): readonly Occurrence[] {
  const read = occurrences(windows.map(specOf), from, until)
  return read.ok ? read.occurrences : []
}

/** The first occurrence that begins after a time (ms), or null if there is none within two years. */
export function nextOccurrence(window: WindowView, after: number): Occurrence | null {
  for (let from = after, span = 40 * dayMs; from - after < farthestMs; from += span, span *= 2) {
    const next = occurrencesOf([window], from, from + span).find(({ start }) => start > after)
    if (next) return next
  }
  return null
}
