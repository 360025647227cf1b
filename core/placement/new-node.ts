/** One more node of a pool that is there. */

import { type NodeObject, amountOf } from '../objects'
import { compareText } from '../units'
import type { Room } from './room'

export const perNode = new Set(['kubernetes.io/hostname'])
/** Labels by which pools are told apart, with what they are called in. */
export const poolLabel = 'gyrarch/pool'
export const sizeLabel = 'node.kubernetes.io/instance-type'
/** Nodes that stand for a pool in a zone: the first of each, smallest first. */
export function templates(room: Room): readonly NodeObject[] {
  const seen = new Map<string, NodeObject>()
  for (let i = 0; i < room.standing && seen.size < mostTemplates; i++) {
    const node = room.nodes[i]
    if (!node) continue
    const labels = Object.entries(node.metadata.labels ?? {})
      .filter(([key]) => !perNode.has(key))
      .sort(([a], [b]) => compareText(a, b))
    const taints = (node.spec?.taints ?? []).filter(
      (taint) => !taint.key.startsWith('node.kubernetes.io/'),
    )
    const key = JSON.stringify([labels, taints, node.status?.allocatable ?? node.status?.capacity])
    if (!seen.has(key)) seen.set(key, node)
  }
  const size = (node: NodeObject): number =>
    amountOf('cpu', (node.status?.allocatable ?? node.status?.capacity)?.['cpu'] ?? 0, '')
  return [...seen.values()].sort(
    (a, b) => size(a) - size(b) || compareText(a.metadata.name, b.metadata.name),
  )
}

/** One more node like another: empty, open, with a name and host name of its own. */
export function oneMore(like: NodeObject, name: string): NodeObject {
  const labels = {
    ...like.metadata.labels,
    ...(like.metadata.labels && Object.hasOwn(like.metadata.labels, 'kubernetes.io/hostname')
      ? { 'kubernetes.io/hostname': name }
      : {}),
  }
  return {
    kind: 'Node',
    apiVersion: 'v1',
    metadata: { name, labels },
    spec: {
      taints: (like.spec?.taints ?? []).filter(
        (taint) => !taint.key.startsWith('node.kubernetes.io/'),
      ),
    },
    status: {
      ...(like.status?.capacity ? { capacity: like.status.capacity } : {}),
      ...(like.status?.allocatable ? { allocatable: like.status.allocatable } : {}),
    },
  }
}

export function freshName(room: Room, base: string): string {
  for (let i = 1; ; i++) {
    const name = `${base}-more-${i}`
    if (room.nodeIndex(name) < 0) return name
  }
}

/** How many different nodes of pools are tried as one more. */
export const mostTemplates = 60
