/** What stands against a pool giving nodes up: which go, what of theirs cannot be moved, and how far it could shrink. */
import type { Offer, RawFinding } from '../changes'
import { stop } from '../changes'
import { type ClusterView, type FleetView, nodesOf, type PoolView } from '../fleet'
import { countText, listText } from '../units'
import { drainFindings, drainOf } from './draining'
import { isReady } from './machines'
import { leaving, type Leaving, type ResizeIntent } from './resized-pool'
import { said } from './says'

/** Nodes named to be given up that the pool does not have, or more of them than it gives up. */
function namedFindings(
  intent: ResizeIntent,
  cluster: ClusterView,
  pool: PoolView,
): readonly RawFinding[] {
  const because = [
    {
      ...said('nodes-listed', { nodesCount: pool.nodes.length }),
      source: cluster.name,
      at: cluster.observedAt,
    },
  ]
  const without = (i: number): readonly Offer[] => [
    { says: 'Leave it out', change: { patchDraft: [{ op: 'remove', path: `/nodes/${i}` }] } },
  ]
  const wrong = intent.nodes.flatMap((node, i): readonly RawFinding[] => {
    if (!pool.nodes.some((listed) => listed.name === node))
      return [
        stop(
          `node.pool.${i}`,
          `nodes[${i}]`,
          said('node.pool', { pool: pool.name, node }),
          because,
          without(i),
        ),
      ]
    return intent.nodes.indexOf(node) < i
      ? [stop(`node.twice.${i}`, `nodes[${i}]`, said('node.twice', { node }), because, without(i))]
      : []
  })
  const gives = Math.max(0, pool.nodes.length - intent.count)
  if (wrong.length > 0 || intent.nodes.length <= gives) return wrong
  const count = pool.nodes.length - intent.nodes.length
  return [
    stop(
      'nodes.many',
      'nodes',
      said('nodes.many', {
        named: intent.nodes.length,
        gives,
        pool: pool.name,
        count: intent.count,
      }),
      because,
      [
        {
          says: `Resize it to ${countText(count, 'node')}`,
          change: { patchDraft: [{ op: 'replace', path: '/count', value: count }] },
        },
        {
          says: 'Name none',
          change: { patchDraft: [{ op: 'replace', path: '/nodes', value: [] }] },
        },
      ],
    ),
  ]
}

/** The ones that placement would give up where others are named, and the smallest number that works. */
function shrinkOffers(
  intent: ResizeIntent,
  pool: PoolView,
  placed: Leaving,
  least: number,
): readonly Offer[] {
  const offers: Offer[] = []
  if (intent.nodes.length > 0 && least <= intent.count)
    offers.push({
      says: `Give up ${listText(
        placed.nodes.map((node) => node.name),
        3,
      )} instead`,
      change: { patchDraft: [{ op: 'replace', path: '/nodes', value: [] }] },
    })
  else if (least < pool.nodes.length)
    offers.push({
      says: `Resize it to ${countText(least, 'node')}`,
      change: {
        patchDraft: [
          { op: 'replace', path: '/count', value: least },
          { op: 'replace', path: '/nodes', value: [] },
        ],
      },
    })
  return offers
}

function withOffers(
  held: readonly RawFinding[],
  intent: ResizeIntent,
  view: FleetView,
  cluster: ClusterView,
  pool: PoolView,
): RawFinding[] {
  if (!held.some((finding) => finding.level === 'stop')) return [...held]
  const placed = leaving(view, cluster, pool, { ...intent, nodes: [] })
  const { least } = placed
  if (least === null) return [...held]
  const offers = shrinkOffers(intent, pool, placed, least)
  const fact = {
    ...said('least-nodes', { pool: pool.name, least, nodes: pool.nodes.length }),
    source: cluster.name,
    at: cluster.observedAt,
  }
  return held.map((finding) =>
    finding.level === 'stop'
      ? {
          ...finding,
          because: [...finding.because, fact],
          offers: [...(finding.offers ?? []), ...offers],
        }
      : finding,
  )
}

/** Findings about the nodes that a smaller pool gives up. */
export function shrinkFindings(
  intent: ResizeIntent,
  view: FleetView,
  cluster: ClusterView,
  pool: PoolView,
): readonly RawFinding[] {
  const wrong = namedFindings(intent, cluster, pool)
  if (wrong.length > 0 || intent.count >= pool.nodes.length) return wrong
  const gone = leaving(view, cluster, pool, intent).nodes
  const names = gone.map((node) => node.name)
  const seen = { source: cluster.name, at: cluster.observedAt }
  const stay = nodesOf(cluster).filter(
    (node) => !gone.includes(node) && !node.roles.includes('control-plane') && isReady(node),
  )
  const because = [
    {
      ...said('requested', {
        gone: names,
        cpuMilli: gone.reduce((sum, node) => sum + node.requestedCpuMilli, 0),
      }),
      ...seen,
    },
  ]
  if (stay.length === 0)
    return cluster.podCount === 0
      ? []
      : [
          stop('pool.last', 'count', said('pool.last.no-worker-left'), because, [
            {
              says: 'Keep one node',
              change: { patchDraft: [{ op: 'replace', path: '/count', value: 1 }] },
            },
          ]),
        ]
  const ready = gone.filter(isReady).map((node) => node.name)
  const held = drainFindings(view, cluster, ready, 'count', intent.allowLocalData).filter(
    (finding) => finding.level !== 'note',
  )
  const findings = withOffers(held, intent, view, cluster, pool)
  if (intent.nodes.length < names.length)
    findings.push({
      level: 'note',
      rule: 'pool.gives',
      field: 'nodes',
      ...said('pool.gives', { gone: names }),
      because: [{ ...said('gives-placed'), ...seen }],
    })
  const moves = drainOf(view, cluster.name, ready, intent.allowLocalData)?.evictions ?? []
  const to = new Map<string, number>()
  for (const move of moves) if (move.to !== null) to.set(move.to, (to.get(move.to) ?? 0) + 1)
  if (moves.length > 0)
    findings.push({
      level: 'caution',
      rule: 'pool.moves',
      field: 'count',
      ...said('pool.moves', {
        pods: moves.length,
        gone: names,
        to: [...to].map(([node, pods]) => `${pods} to ${node}`),
      }),
      because,
    })
  return findings
}
