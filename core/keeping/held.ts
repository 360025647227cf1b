/** What a drain that was tried on a copy of a cluster tells: pods that are held and what would let them go, and where the others go. */
import type { Fact, RawFinding } from '../changes'
import type { Said } from '../contract'
import type { ClusterView } from '../fleet'
import type { ApiObject } from '../objects'
import { reasonsText, type Blocked, type Drain } from '../placement'
import { said } from './says'
import { slackOffers } from './slack'

export const facts = (cluster: ClusterView, said: Said): readonly Fact[] => [
  { ...said, source: cluster.name, at: cluster.observedAt },
]

/** Pods held by the same reason are told of together. */
const reasonOf = ({ code, params, noRoom }: Blocked): string => {
  if (noRoom) return `no-room.${Object.keys(noRoom.tally).join('+')}`
  return code.startsWith('budget')
    ? `${code}.${JSON.stringify(params['budget'] ?? params['budgets'])}`
    : code
}

function heldFindings(
  cluster: ClusterView,
  drain: Drain,
  field: string,
  objects: readonly ApiObject[],
): RawFinding[] {
  const held = new Map<string, Blocked[]>()
  for (const blocked of drain.blocked) {
    const reason = reasonOf(blocked)
    const together = held.get(reason)
    if (together) together.push(blocked)
    else held.set(reason, [blocked])
  }
  return [...held].map(([reason, together]): RawFinding => {
    const pods = together.map((blocked) => blocked.pod)
    const [first] = together
    const last = together.at(-1)?.noRoom
    const placed = said('placed-evicted-copy', {
      cluster: cluster.name,
      evictionsCount: drain.evictions.length,
      blockedCount: drain.blocked.length,
    })
    const asks = together.reduce(
      (sum, { noRoom }) => ({
        cpuMilli: sum.cpuMilli + (noRoom?.asks.cpuMilli ?? 0),
        memoryBytes: sum.memoryBytes + (noRoom?.asks.memoryBytes ?? 0),
      }),
      { cpuMilli: 0, memoryBytes: 0 },
    )
    return {
      level: 'stop',
      rule: `drain.${reason}`,
      field,
      ...heldSays(pods, first, reason),
      because: [
        ...facts(cluster, placed),
        ...(last
          ? facts(
              cluster,
              said('room-usable', {
                pods: pods.length,
                ...asks,
                nodes: last.usable.nodes,
                freeCpuMilli: last.usable.cpuMilli,
                freeMemoryBytes: last.usable.memoryBytes,
              }),
            )
          : []),
      ],
      ...(first?.code === 'local-data'
        ? {
            offers: [
              {
                says: 'Allow the loss of local data',
                change: {
                  patchDraft: [{ op: 'add' as const, path: '/allowLocalData', value: true }],
                },
              },
            ],
          }
        : {}),
      ...(typeof first?.params['budget'] === 'string'
        ? { offers: slackOffers(objects, cluster.name, first.params['budget']) }
        : {}),
    }
  })
}

function heldSays(pods: readonly string[], first: Blocked | undefined, reason: string): Said {
  if (first?.noRoom) return said('held.no-room', { pods, reasons: reasonsText(first.noRoom.tally) })
  if (reason === 'no-controller') return said('held.no-controller', { pods })
  if (reason === 'local-data') return said('held.local-data', { pods })
  return said('held.budget', { pods, budget: first?.says ?? '' })
}

/** What a drain that was tried on a copy of the cluster tells: pods that are held, and where the others go. */
export function movesFindings(
  cluster: ClusterView,
  drain: Drain,
  field: string,
  /** Those of the cluster, where budgets among them may be altered. */
  objects: readonly ApiObject[] = [],
): readonly RawFinding[] {
  const findings: RawFinding[] = heldFindings(cluster, drain, field, objects)
  for (const caution of drain.cautions.slice(0, 20))
    findings.push({
      level: 'caution',
      rule: `drain.path.${caution.pod}`,
      field,
      ...said('pod-caution', { pod: caution.pod, caution: caution.says }),
      because: facts(cluster, said('hostpath-volume')),
    })
  if (drain.evictions.length > 0 && drain.blocked.length === 0) {
    const to = new Map<string, number>()
    for (const eviction of drain.evictions)
      if (eviction.to !== null) to.set(eviction.to, (to.get(eviction.to) ?? 0) + 1)
    findings.push({
      level: 'note',
      rule: 'drain.moves',
      field,
      ...said('drain.moves', {
        evictionsCount: drain.evictions.length,
        seconds: drain.seconds,
        to: [...to].map(([node, pods]) => `${pods} to ${node}`),
      }),
      because: facts(cluster, said('placed-copy-cluster')),
    })
  }
  return findings
}
