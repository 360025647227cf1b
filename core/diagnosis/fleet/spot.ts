/** Spot machines that their cloud took back and whose pool has none in their place. */
import type { ClusterView } from '../../fleet'
import { record, text } from '../../objects'
import type { Trouble } from '../cases'
import { said } from './says'
import { type FleetCause, troubleOf } from './told'

/** As the events of a cluster tell that a machine is taken back, and that it is gone. */
const reasons: ReadonlySet<string> = new Set(['SpotTakenBack', 'NodeGone'])

/**
 * The pools of a cluster that lost spot machines within the time that events are kept, until one was made since or the
 * pool has as many nodes as its range asks for.
 */
export function spotTroubles(
  cluster: ClusterView,
  events: readonly Readonly<Record<string, unknown>>[],
): readonly Trouble<FleetCause>[] {
  const taken = new Map<string, { readonly at: string; readonly text: string }>()
  for (const event of events) {
    const about = record(event['involvedObject'])
    if (about['kind'] !== 'Node' || !reasons.has(text(event['reason']))) continue
    const at = text(event['lastTimestamp']) || text(event['firstTimestamp'])
    const before = taken.get(text(about['name']))
    if (!before || before.at < at)
      taken.set(text(about['name']), { at, text: text(event['message']) })
  }
  return cluster.pools.flatMap((pool): readonly Trouble<FleetCause>[] => {
    if (pool.lifetime !== 'spot') return []
    const least = pool.range?.min ?? Infinity
    if (pool.nodes.length >= least) return []
    const lost = [...taken].filter(
      ([node, { at }]) =>
        node.startsWith(`${cluster.name}-${pool.name}-`) &&
        !pool.nodes.some((each) => each.createdAt > at),
    )
    const [first] = lost
    if (!first) return []
    const subject = `pool/${pool.name}`
    const about = `node/${first[0]}`
    const { says } = said('fleet.spot', { nodes: lost.map(([node]) => node) })
    return [
      troubleOf({
        cluster: cluster.name,
        subject,
        key: `spot-taken ${cluster.name} ${pool.name}`,
        since: lost.map(([, { at }]) => at).toSorted()[0] ?? null,
        symptom: said('fleet.spot-symptom', { pool: pool.name, nodes: pool.nodes.length }).says,
        cause: 'spot-taken',
        says,
        chain: [
          { about, says },
          { about: subject, says: said('fleet.spot-pool', { nodes: pool.nodes.length }).says },
        ],
        because: lost.map(([node, { at, text: says }]) => ({
          type: 'event',
          about: `node/${node}`,
          at,
          text: says,
        })),
      }),
    ]
  })
}
