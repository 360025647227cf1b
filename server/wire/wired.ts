/** What is wired, each part with the run that made it. */
import type { ClusterView, FleetView } from '~/core/fleet'
import { type Wired, wiredParts, withMakers } from '~/core/wire/changes'
import { makersOf } from '../runner/attribution'

export async function wiredWithMakers(
  view: FleetView,
  cluster: ClusterView,
): Promise<readonly Wired[]> {
  const parts = wiredParts(view, cluster)
  return withMakers(parts, await makersOf(parts.flatMap((part) => part.about)))
}
