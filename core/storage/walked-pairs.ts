/** The pairs of a storage network, each walked through the rules of its site. */
import type { StorageReport } from '../contract'
import type { FleetView } from '../fleet'
import { readyWorldOf, walk } from '../wire'
import { type Pair, pairsOn } from './pairs'

/** The view must hold the ways of the cluster. */
export function walkedPairs(
  view: FleetView,
  storage: StorageReport,
  network: string,
): readonly Pair[] {
  const world = readyWorldOf(view)
  return pairsOn(storage, network, (from, to) => {
    if (!world.ok) return { delivered: false, says: world.says }
    const read = walk(world.world, {
      from: { address: from },
      to: { address: to },
      port: storage.port,
      protocol: 'TCP',
    })
    if (!read.ok) return { delivered: false, says: read.says }
    const { delivered, hops } = read.walk
    return { delivered, says: delivered ? '' : (hops.at(-1)?.tell().says ?? '') }
  })
}
