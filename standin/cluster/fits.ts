/** Whether a node takes a pod, in the scheduler’s words: what a template asks of its node and of its neighbours. */
import type { Cluster, Node, Pod, Workload } from '../world'
import { isPodOf, list, podLabels, record as fields, templateOf, text } from './manifests'
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
    .map((entry) => ({
      key: text(entry['key']),
      operator: text(entry['operator']),
      values: list(entry['values']).map(text),
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
      .map((entry) => ({
        key: text(entry['key']),
        operator: text(entry['operator']) || 'Equal',
        value: text(entry['value']),
        effect: text(entry['effect']),
      })),
    nodes: list(fields(node[required])['nodeSelectorTerms']).map(terms),
    likes: list(node['preferredDuringSchedulingIgnoredDuringExecution'])
      .map(fields)
      .map((entry) => ({
        weight: Number(entry['weight'] ?? 0),
        terms: terms(entry['preference']),
      })),
    apart: list(fields(affinity['podAntiAffinity'])[required]).map(near),
    together: list(fields(affinity['podAffinity'])[required]).map(near),
    spread: list(spec['topologySpreadConstraints'])
      .map(fields)
      .filter((entry) => entry['whenUnsatisfiable'] === 'DoNotSchedule')
      .map((entry) => ({ ...near(entry), skew: Number(entry['maxSkew'] ?? 1) })),
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
export function likes(request: Wish, node: Node): number {
  const all = request.likes.reduce((sum, like) => sum + like.weight, 0)
  return all === 0
    ? 0
    : request.likes.reduce(
        (sum, like) => sum + (like.terms.every((term) => holds(node, term)) ? like.weight : 0),
        0,
      ) / all
}

const tolerates = (request: Wish, taint: Node['taints'][number]): boolean =>
  request.tolerations.some(
    (toleration) =>
      (toleration.effect === '' || toleration.effect === taint.effect) &&
      (toleration.key === ''
        ? toleration.operator === 'Exists'
        : toleration.key === taint.key &&
          (toleration.operator === 'Exists' || toleration.value === taint.value)),
  )

export const workloadOf = (cluster: Cluster, pod: Pod): Workload | undefined =>
  cluster.workloads.find((workload) => isPodOf(pod, workload))

/** Whether a pod may stay on a node with these taints: every NoExecute one is tolerated. Daemons stay. */
export function suffers(cluster: Cluster, pod: Pod, taints: Node['taints']): boolean {
  const workload = workloadOf(cluster, pod)
  if (!workload || workload.kind === 'DaemonSet') return true
  const request = wishOf(workload, pod)
  return taints.every((taint) => taint.effect !== 'NoExecute' || tolerates(request, taint))
}

const bears = (labels: Labels, others: Labels): boolean =>
  Object.entries(labels).every(([name, wanted]) => others[name] === wanted)

/** Pods of a namespace that bear all of some labels, by the value of a label of their nodes. */
function standingIn(cluster: Cluster, pod: Pod, { key, labels }: Near): Map<string, number> {
  const results = new Map<string, number>()
  const byName = new Map(cluster.nodes.map((node) => [node.name, node.labels[key]]))
  for (const otherPod of cluster.running) {
    if (
      otherPod.node === null ||
      otherPod === pod ||
      otherPod.namespace !== pod.namespace ||
      otherPod.phase === 'Succeeded'
    )
      continue
    const value = byName.get(otherPod.node)
    if (value !== undefined && bears(labels, podLabels(workloadOf(cluster, otherPod), otherPod)))
      results.set(value, (results.get(value) ?? 0) + 1)
  }
  return results
}

export const isReady = (node: Node): boolean =>
  node.conditions.some((condition) => condition.type === 'Ready' && condition.status === 'True')

/** Why a node does not take a pod, or null. Neighbours are counted once for all nodes. */
export function refusals(
  cluster: Cluster,
  pod: Pod,
  workload: Workload,
): (node: Node, load: Load) => string | null {
  const request = wishOf(workload, pod)
  const isDaemon = workload.kind === 'DaemonSet'
  const own = podLabels(workload, pod)
  const apart = request.apart.map((near) => ({
    key: near.key,
    here: standingIn(cluster, pod, near),
  }))
  const together = request.together.map((near) => {
    const here = standingIn(cluster, pod, near)
    // The first of a group that asks for its own company may begin anywhere.
    return { key: near.key, here, begins: here.size === 0 && bears(near.labels, own) }
  })
  const spread = request.spread.map((entry) => {
    const here = standingIn(cluster, pod, entry)
    const domains = new Set(
      cluster.nodes
        .flatMap((node) => (bears(request.selector, node.labels) ? [node.labels[entry.key]] : []))
        .filter((value) => value !== undefined),
    )
    return {
      key: entry.key,
      skew: entry.skew,
      here,
      least: Math.min(...[...domains].map((value) => here.get(value) ?? 0)),
    }
  })
  const volumes = volumeRefusals(cluster, workload, pod)
  return (node, load) => {
    if (node.cordoned) return 'unschedulable'
    if (!isReady(node) && !isDaemon) return 'not ready'
    if (!bears(request.selector, node.labels)) return 'node selector'
    if (
      request.nodes.length > 0 &&
      !request.nodes.some((any) => any.length > 0 && any.every((term) => holds(node, term)))
    )
      return 'node affinity'
    const untolerated = isDaemon
      ? undefined
      : node.taints.find(
          (taint) => taint.effect !== 'PreferNoSchedule' && !tolerates(request, taint),
        )
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
