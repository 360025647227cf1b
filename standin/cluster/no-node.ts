/** Why no node takes a pod, in words. */
import { countText, listText } from '../../core/units'

/** Of one reason: what one node does, and what several do. */
const words: Readonly<Record<string, readonly [one: string, several: string]>> = {
  unschedulable: ['is cordoned', 'are cordoned'],
  'not ready': ['is not ready', 'are not ready'],
  'node selector': ['is left out by its selector', 'are left out by its selector'],
  'node affinity': ['is left out by its node affinity', 'are left out by its node affinity'],
  'insufficient cpu': ['lacks CPU', 'lack CPU'],
  'insufficient memory': ['lacks memory', 'lack memory'],
  'insufficient gpu': ['lacks a GPU', 'lack a GPU'],
  'too many pods': ['holds as many pods as it may', 'hold as many pods as they may'],
  'topology spread': ['would unbalance its spread', 'would unbalance its spread'],
  affinity: ['has no pod that it wants beside it', 'have no pod that it wants beside it'],
  'anti-affinity': ['has a pod that it keeps away from', 'have a pod that it keeps away from'],
}

function reasonText(why: string, count: number): string {
  const taint = /^taint (.*)$/.exec(why)?.[1]
  const [one, several] =
    taint === undefined
      ? (words[why] ?? [`is refused: ${why}`, `are refused: ${why}`])
      : [`has the taint ${taint}`, `have the taint ${taint}`]
  return `${count} ${count === 1 ? one : several}`
}

const poolLabel = 'gyrarch/pool'

/** `tally` counts nodes by reason; `selector` is what the pod asks of a node’s labels. */
export function noNodeText(
  nodes: number,
  tally: ReadonlyMap<string, number>,
  selector: Readonly<Record<string, unknown>>,
): string {
  if (nodes === 0 || tally.size === 0) return 'There is no node.'
  if (tally.get('node selector') === nodes) {
    const wanted = Object.entries(selector).map(([key, value]) =>
      key === poolLabel ? `pool ${String(value)}` : `${key}=${String(value)}`,
    )
    return `No node fits: its selector asks for ${listText(wanted)}`
  }
  const reasons = [...tally].map(([why, count]) => reasonText(why, count))
  return `None of ${countText(nodes, 'node')} fits: ${listText(reasons, 12)}`
}
