/** Whether a node takes a pod, in the scheduler’s words: what a template asks of its node and of its neighbours. */
import type { Cluster, Node, Pod, Workload } from '../world'
import { list, podLabels, record as fields, templateOf, text } from './manifests'
import { volumeRefusals } from './volumes'

export interface Load {
  cpuMilli: number
  memoryBytes: number
  gpus: number
  pods: number
}

interface Toleration {
  readonly key: string
  readonly operator: string
  readonly value: string
  readonly effect: string
}

type Labels = Readonly<Record<string, unknown>>

interface Near {
  readonly key: string
  readonly labels: Labels
}

interface NodeTerm {
  readonly key: string
  readonly operator: string
  readonly values: readonly string[]
}

/** What a pod asks of its node and its neighbours, out of its template. */
export interface Wish {
  readonly selector: Labels
  readonly tolerations: readonly Toleration[]
  /** Any of these lists of terms; empty asks nothing. */
  readonly nodes: readonly (readonly NodeTerm[])[]
  readonly likes: readonly { readonly weight: number; readonly terms: readonly NodeTerm[] }[]
  readonly apart: readonly Near[]
  readonly together: readonly Near[]
  readonly spread: readonly (Near & { readonly skew: number })[]
}

const terms = (given: unknown): readonly NodeTerm[] =>
  list(fields(given)['matchExpressions'])
    .map(fields)
    .map((one) => ({
      key: text(one['key']),
      operator: text(one['operator']),
      values: list(one['values']).map(text),
    }))
const near = (term: unknown): Near => ({
  key: text(fields(term)['topologyKey']),
  labels: fields(fields(fields(term)['labelSelector'])['matchLabels']),
})

export function wishOf(workload: Workload, pod: Pod): Wish {
  const spec = fields(templateOf(workload, pod.hash)['spec'])
  const affinity = fields(spec['affinity'])
  const required = 'requiredDuringSchedulingIgnoredDuringExecution'
  const node = fields(affinity['nodeAffinity'])
  return {
    selector: fields(spec['nodeSelector']),
    tolerations: list(spec['tolerations'])
      .map(fields)
      .map((one) => ({
        key: text(one['key']),
        operator: text(one['operator']) || 'Equal',
        value: text(one['value']),
        effect: text(one['effect']),
      })),
    nodes: list(fields(node[required])['nodeSelectorTerms']).map(terms),
    likes: list(node['preferredDuringSchedulingIgnoredDuringExecution'])
      .map(fields)
      .map((one) => ({ weight: Number(one['weight'] ?? 0), terms: terms(one['preference']) })),
    apart: list(fields(affinity['podAntiAffinity'])[required]).map(near),
    together: list(fields(affinity['podAffinity'])[required]).map(near),
    spread: list(spec['topologySpreadConstraints'])
      .map(fields)
      .filter((one) => one['whenUnsatisfiable'] === 'DoNotSchedule')
      .map((one) => ({ ...near(one), skew: Number(one['maxSkew'] ?? 1) })),
  }
}

function holds(node: Node, { key, operator, values }: NodeTerm): boolean {
  const value = node.labels[key]
  switch (operator) {
    case 'In':
      return value !== undefined && values.includes(value)
    case 'NotIn':
      return value === undefined || !values.includes(value)
    case 'Exists':
      return value !== undefined
    case 'DoesNotExist':
      return value === undefined
    case 'Gt':
      return value !== undefined && Number(value) > Number(values[0])
    case 'Lt':
      return value !== undefined && Number(value) < Number(values[0])
    default:
      return false
  }
}

/** How much a pod would like a node: the weights of the terms that hold, as a part of 1 of all. */
export function likes(wish: Wish, node: Node): number {
  const all = wish.likes.reduce((sum, one) => sum + one.weight, 0)
  return all === 0
    ? 0
    : wish.likes.reduce(
        (sum, one) => sum + (one.terms.every((term) => holds(node, term)) ? one.weight : 0),
        0,
      ) / all
}

const tolerates = (wish: Wish, taint: Node['taints'][number]): boolean =>
  wish.tolerations.some(
    (one) =>
      (one.effect === '' || one.effect === taint.effect) &&
      (one.key === ''
        ? one.operator === 'Exists'
        : one.key === taint.key && (one.operator === 'Exists' || one.value === taint.value)),
  )

export const workloadOf = (cluster: Cluster, pod: Pod): Workload | undefined =>
  cluster.workloads.find(
    (other) => other.namespace === pod.namespace && other.name === pod.workload,
  )

/** Whether a pod may stay on a node with these taints: every NoExecute one is tolerated. Daemons stay. */
export function suffers(cluster: Cluster, pod: Pod, taints: Node['taints']): boolean {
  const workload = workloadOf(cluster, pod)
  if (!workload || workload.kind === 'DaemonSet') return true
  const wish = wishOf(workload, pod)
  return taints.every((taint) => taint.effect !== 'NoExecute' || tolerates(wish, taint))
}

const bears = (labels: Labels, theirs: Labels): boolean =>
  Object.entries(labels).every(([name, wanted]) => theirs[name] === wanted)

/** Pods of a namespace that bear all of some labels, by the value of a label of their nodes. */
function standingIn(cluster: Cluster, pod: Pod, { key, labels }: Near): Map<string, number> {
  const found = new Map<string, number>()
  const byName = new Map(cluster.nodes.map((node) => [node.name, node.labels[key]]))
  for (const other of cluster.running) {
    if (
      other.node === null ||
      other === pod ||
      other.namespace !== pod.namespace ||
      other.phase === 'Succeeded'
    )
      continue
    const value = byName.get(other.node)
    if (value !== undefined && bears(labels, podLabels(workloadOf(cluster, other), other)))
      found.set(value, (found.get(value) ?? 0) + 1)
  }
  return found
}

const isReady = (node: Node): boolean =>
  node.conditions.some((condition) => condition.type === 'Ready' && condition.status === 'True')

/** Why a node does not take a pod, or null. Neighbours are counted once for all nodes. */
export function refusals(
  cluster: Cluster,
  pod: Pod,
  workload: Workload,
): (node: Node, load: Load) => string | null {
  const wish = wishOf(workload, pod)
  const isDaemon = workload.kind === 'DaemonSet'
  const own = podLabels(workload, pod)
  const apart = wish.apart.map((one) => ({ key: one.key, here: standingIn(cluster, pod, one) }))
  const together = wish.together.map((one) => {
    const here = standingIn(cluster, pod, one)
    // The first of a group that asks for its own company may begin anywhere.
    return { key: one.key, here, begins: here.size === 0 && bears(one.labels, own) }
  })
  const spread = wish.spread.map((one) => {
    const here = standingIn(cluster, pod, one)
    const domains = new Set(
      cluster.nodes
        .flatMap((node) => (bears(wish.selector, node.labels) ? [node.labels[one.key]] : []))
        .filter((value) => value !== undefined),
    )
    return {
      key: one.key,
      skew: one.skew,
      here,
      least: Math.min(...[...domains].map((value) => here.get(value) ?? 0)),
    }
  })
  const volumes = volumeRefusals(cluster, workload, pod)
  return (node, load) => {
    if (node.cordoned) return 'unschedulable'
    if (!isReady(node) && !isDaemon) return 'not ready'
    if (!bears(wish.selector, node.labels)) return 'node selector'
    if (
      wish.nodes.length > 0 &&
      !wish.nodes.some((any) => any.length > 0 && any.every((term) => holds(node, term)))
    )
      return 'node affinity'
    const untolerated = isDaemon
      ? undefined
      : node.taints.find((taint) => taint.effect !== 'PreferNoSchedule' && !tolerates(wish, taint))
    if (untolerated) return `taint ${untolerated.key}`
    if (load.cpuMilli + pod.cpuMilli > node.allocatableCpuMilli) return 'insufficient cpu'
    if (load.memoryBytes + pod.memoryBytes > node.allocatableMemoryBytes)
      return 'insufficient memory'
    if (load.gpus + pod.gpus > node.gpus) return 'insufficient gpu'
    if (load.pods + 1 > cluster.maxPodsPerNode) return 'too many pods'
    const volume = volumes(node)
    if (volume !== null) return volume
    if (
      spread.some(
        ({ key, skew, here, least }) =>
          node.labels[key] === undefined || (here.get(node.labels[key]) ?? 0) + 1 - least > skew,
      )
    )
      return 'topology spread'
    if (
      together.some(
        ({ key, here, begins }) =>
          node.labels[key] === undefined || (!begins && !here.has(node.labels[key])),
      )
    )
      return 'affinity'
    if (apart.some(({ key, here }) => node.labels[key] !== undefined && here.has(node.labels[key])))
      return 'anti-affinity'
    return null
  }
}
