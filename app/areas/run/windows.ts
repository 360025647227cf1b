/** The windows into which a draft can be scheduled. */
import type { FleetView } from '~/core/fleet'
import { isCovered, nextOccurrence, windowsOf } from '~/core/windows'
import { clustersTouched } from '~/server/changes/schedule'
import type { WindowChoice } from '../../parts/later'

export function windowsFor(subjects: readonly string[], view: FleetView): readonly WindowChoice[] {
  const touched = new Set(clustersTouched(subjects, view))
  return windowsOf(view)
    .filter((window) =>
      view.clusters
        .filter((cluster) => touched.has(cluster.name))
        .every((cluster) => isCovered(window, cluster)),
    )
    .map((window) => {
      const next = nextOccurrence(window, Date.parse(view.now))
      return {
        name: window.name,
        next: next && new Date(next.start).toISOString(),
        minutes: window.minutes,
      }
    })
}
