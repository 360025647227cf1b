/** Why no node takes a pod, in the scheduler’s words. */

/** Of each reason, what the scheduler says of the nodes. */
const words: Readonly<Record<string, string>> = {
  unschedulable: 'node(s) were unschedulable',
  'not ready': 'node(s) had untolerated taint {node.kubernetes.io/not-ready: }',
  'node selector': "node(s) didn't match Pod's node affinity/selector",
  'node affinity': "node(s) didn't match Pod's node affinity/selector",
  'insufficient cpu': 'Insufficient cpu',
  'insufficient memory': 'Insufficient memory',
  'insufficient gpu': 'Insufficient gyrarch/gpu',
  'too many pods': 'Too many pods',
  'topology spread': "node(s) didn't match pod topology spread constraints",
  affinity: "node(s) didn't match pod affinity rules",
  'anti-affinity': "node(s) didn't match pod anti-affinity rules",
  'volume node affinity': 'node(s) had volume node affinity conflict',
  'unbound claim': 'pod has unbound immediate PersistentVolumeClaims',
  'exceed max volume count': 'node(s) exceed max volume count',
}

function reasonText(why: string): string {
  const taint = /^taint (.*)$/.exec(why)?.[1]
  if (taint !== undefined) return `node(s) had untolerated taint {${taint}: }`
  const claim = /^claim (\S+) not found$/.exec(why)?.[1]
  if (claim !== undefined) return `persistentvolumeclaim "${claim}" not found`
  return words[why] ?? `node(s) ${why}`
}

/** `tally` counts nodes by reason. */
export function noNodeText(nodes: number, tally: ReadonlyMap<string, number>): string {
  if (nodes === 0 || tally.size === 0) return 'no nodes available to schedule pods'
  const counts = new Map<string, number>()
  for (const [why, count] of tally) {
    const says = reasonText(why)
    counts.set(says, (counts.get(says) ?? 0) + count)
  }
  const reasons = [...counts].map(([says, count]) => `${count} ${says}`)
  return `0/${nodes} nodes are available: ${reasons.toSorted().join(', ')}.`
}
