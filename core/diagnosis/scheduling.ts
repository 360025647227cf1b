/** What a scheduler’s message says: why nodes were passed over, and which of them got farthest. */
import { type Json, record, records, text } from '../objects'

export interface PassedOver {
  readonly nodes: number
  readonly reason: string
}

/** The reasons of a message, without what it says of preemption. */
export function reasonsIn(message: string): readonly PassedOver[] {
  const own = message.split(/\.?\s+preemption:/)[0] ?? message
  const [, after = ''] = /nodes? are available:?\s*(.*)$/s.exec(own) ?? []
  const parts = after.replace(/\.\s*$/, '').match(/\d+ (?:(?!, \d+ ).)+/gs) ?? []
  return parts.flatMap((part) => {
    const [, nodes, reason] = /^(\d+) (?:node\(s\) )?(.*)$/s.exec(part.trim()) ?? []
    return nodes === undefined || reason === undefined ? [] : [{ nodes: Number(nodes), reason }]
  })
}

/** Taints that tell how the node itself is. */
const ownTaints = [
  'not-ready',
  'unreachable',
  'memory-pressure',
  'disk-pressure',
  'pid-pressure',
  'network-unavailable',
]

export type SchedulingCause =
  | 'no-room'
  | 'taint'
  | 'selector'
  | 'affinity'
  | 'spread'
  | 'host-port'
  | 'volume-elsewhere'
  | 'claim-unbound'
  | 'cordoned'
  | 'node'

interface Pattern {
  readonly match: RegExp
  readonly cause: SchedulingCause
  /** The place of its filter among those of placement: nodes that fail later got farther. */
  readonly filter: number
}

const patterns: readonly Pattern[] = [
  { match: /unschedulable|node\.kubernetes\.io\/unschedulable/i, cause: 'cordoned', filter: 0 },
  {
    match: new RegExp(
      `taints?.*node\\.(?:kubernetes\\.io|alpha\\.kubernetes\\.io)/(?:${ownTaints.join('|')})`,
      'i',
    ),
    cause: 'node',
    filter: 1,
  },
  {
    match: /were not ready|were out of disk|had (?:memory|disk|pid) ?pressure/i,
    cause: 'node',
    filter: 1,
  },
  { match: /taint/i, cause: 'taint', filter: 1 },
  { match: /pod affinity|anti-affinity/i, cause: 'affinity', filter: 8 },
  { match: /topology spread/i, cause: 'spread', filter: 7 },
  {
    match: /volume node affinity|volume zone|no available volume zone/i,
    cause: 'volume-elsewhere',
    filter: 6,
  },
  {
    match:
      /unbound immediate|available persistent volumes? to bind|bound to non-existent pv|persistentvolumeclaim.*not found|unbound PersistentVolumeClaims?/i,
    cause: 'claim-unbound',
    filter: 6,
  },
  { match: /max volume count|ReadWriteOncePod/i, cause: 'no-room', filter: 6 },
  { match: /free ports/i, cause: 'host-port', filter: 3 },
  {
    match:
      /node affinity\/selector|node selector|node affinity|didn't match (?:the requested )?(?:node|host)/i,
    cause: 'selector',
    filter: 2,
  },
  { match: /insufficient|too many pods/i, cause: 'no-room', filter: 5 },
]

export interface SchedulingReason extends PassedOver {
  readonly cause: SchedulingCause
  readonly filter: number
}

/** The reasons of a message by what they mean for a pod, the nodes that got farthest first. */
export function schedulingReasons(message: string, pod: Json): readonly SchedulingReason[] {
  const spec = record(pod['spec'])
  const hasAffinity =
    record(record(spec['affinity'])['nodeAffinity'])[
      'requiredDuringSchedulingIgnoredDuringExecution'
    ] !== undefined
  const hasSelector = Object.keys(record(spec['nodeSelector'])).length > 0
  return reasonsIn(message)
    .flatMap((entry): readonly SchedulingReason[] => {
      const pattern = patterns.find(({ match }) => match.test(entry.reason))
      if (!pattern) return []
      const isAffinity = pattern.cause === 'selector' && hasAffinity && !hasSelector
      return [{ ...entry, cause: isAffinity ? 'affinity' : pattern.cause, filter: pattern.filter }]
    })
    .sort((a, b) => b.filter - a.filter || b.nodes - a.nodes)
}

/** Claims that a message, or else the volumes of a pod, name. */
export function claimsIn(message: string, pod: Json): readonly string[] {
  const named = /persistentvolumeclaim "([^"]+)"/i.exec(message)?.[1]
  if (named !== undefined) return [named]
  const name = text(record(pod['metadata'])['name'])
  return records(record(pod['spec'])['volumes']).flatMap((volume) => {
    const claim = text(record(volume['persistentVolumeClaim'])['claimName'])
    if (claim !== '') return [claim]
    return volume['ephemeral'] === undefined ? [] : [`${name}-${text(volume['name'])}`]
  })
}
