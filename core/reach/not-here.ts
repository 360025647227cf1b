/** What can be asked of a cluster that Gyrarch did not raise: nothing of it is reached but its API. */
import { type RawFinding, stop } from '../changes'
import { clusterOf, type FleetView } from '../fleet'
import { said } from './says'

/** Changes that are carried out through the open API alone; all others need what stands under a cluster. */
export const changesThroughApi = [
  'manifest.apply',
  'manifest.remove',
  'workload.restart',
  'workload.undo',
  'node.cordon',
  'node.drain',
  'wire.policy',
] as const
/** Those, and what is done to it in Gyrarch’s own register. */
const possible: ReadonlySet<string> = new Set([
  'cluster.dismiss',
  'cluster.label',
  ...changesThroughApi,
])

/** Why a kind of change cannot be made where it is aimed at; null where it can. */
export function notHere(kind: string, intent: unknown, view: FleetView): RawFinding | null {
  const name = (intent as { readonly cluster?: unknown } | null)?.cluster
  if (typeof name !== 'string' || possible.has(kind)) return null
  const reach = clusterOf(view, name)?.reach
  if (!reach) return null
  return stop('not-here', 'cluster', said('not-here', { cluster: name }), [
    { ...said('reached-only', { address: reach.address }), source: name },
  ])
}
