/**
 * Placement written straight from its description, one pod and one node at a time over plain lists, with nothing kept between
 * questions. Slow on purpose: it is what the fast one is held against.
 */
import {
  type LabelSelector,
  type NodeObject,
  ofKind,
  type PodObject,
  podRequest,
  type PodTerm,
  selectorTest,
} from '../../objects'
import { amountOf } from '../../objects'

interface Standing {
  readonly pod: PodObject
  readonly node: string
}

interface Plain {
  readonly nodes: readonly NodeObject[]
  readonly namespaces: ReadonlyMap<string, Readonly<Record<string, string>>>
  standing: Standing[]
}

const inOrder = (a: string, b: string): number => (a < b ? -1 : 1)

const nsOf = (pod: PodObject): string => pod.metadata.namespace ?? 'default'
const keyOf = (pod: PodObject): string => `${nsOf(pod)}/${pod.metadata.name}`
const labelsOf = (pod: PodObject): Readonly<Record<string, string>> => pod.metadata.labels ?? {}
const isDone = (pod: PodObject): boolean =>
  pod.status?.phase === 'Succeeded' || pod.status?.phase === 'Failed'
const nodeLabels = (node: NodeObject): Readonly<Record<string, string>> =>
  node.metadata.labels ?? {}

const asks = (pod: PodObject, resource: string): number =>
  podRequest(pod.spec ?? {}, '').get(resource) ?? 0
const counts = (pod: PodObject, resource: string): number =>
  podRequest(pod.spec ?? {}, '', { cpu: '100m', memory: '200Mi' }).get(resource) ?? 0
const gives = (node: NodeObject, resource: string): number =>
  amountOf(
    resource,
    node.status?.allocatable?.[resource] ?? (resource === 'pods' ? '1000000' : '0'),
    '',
  )

function tolerated(
  pod: PodObject,
  taint: { key: string; value?: string | null | undefined; effect: string },
): boolean {
  for (const toleration of pod.spec?.tolerations ?? []) {
    const effect = !toleration.effect || toleration.effect === taint.effect
    const key = !toleration.key ? toleration.operator === 'Exists' : toleration.key === taint.key
    const value =
      toleration.operator === 'Exists' || (toleration.value ?? '') === (taint.value ?? '')
    if (effect && key && value) return true
  }
  return false
}

function term(
  node: NodeObject,
  given: {
    matchExpressions?:
      | readonly { key: string; operator: string; values?: readonly string[] | null | undefined }[]
      | null
      | undefined
    matchFields?:
      | readonly { key: string; operator: string; values?: readonly string[] | null | undefined }[]
      | null
      | undefined
  },
): boolean {
  const all = [
    ...(given.matchExpressions ?? []).map((matchExpression) => ({
      expression: matchExpression,
      value: nodeLabels(node)[matchExpression.key],
    })),
    ...(given.matchFields ?? []).map((matchField) => ({
      expression: matchField,
      value: matchField.key === 'metadata.name' ? node.metadata.name : undefined,
    })),
  ]
  if (all.length === 0) return false
  return all.every(({ expression, value }) => {
    if (expression.operator === 'In')
      return value !== undefined && (expression.values ?? []).includes(value)
    if (expression.operator === 'NotIn')
      return value === undefined || !(expression.values ?? []).includes(value)
    if (expression.operator === 'Exists') return value !== undefined
    if (expression.operator === 'DoesNotExist') return value === undefined
    if (expression.operator === 'Gt') return Number(value) > Number((expression.values ?? [])[0])
    if (expression.operator === 'Lt') return Number(value) < Number((expression.values ?? [])[0])
    return false
  })
}

function selected(pod: PodObject, node: NodeObject): boolean {
  for (const [key, value] of Object.entries(pod.spec?.nodeSelector ?? {}))
    if (nodeLabels(node)[key] !== value) return false
  const required = pod.spec?.affinity?.nodeAffinity?.requiredDuringSchedulingIgnoredDuringExecution
  return (
    !required ||
    (required.nodeSelectorTerms ?? []).some((nodeSelectorTerm) => term(node, nodeSelectorTerm))
  )
}

const taintsOk = (pod: PodObject, node: NodeObject): boolean =>
  (node.spec?.taints ?? []).every(
    (taint) => taint.effect === 'PreferNoSchedule' || tolerated(pod, taint),
  )

function means(world: Plain, owner: PodObject, given: PodTerm, candidate: PodObject): boolean {
  const named = given.namespaces ?? []
  const inNamespace =
    named.includes(nsOf(candidate)) ||
    (given.namespaceSelector
      ? selectorTest(given.namespaceSelector)(
          world.namespaces.get(nsOf(candidate)) ?? {
            'kubernetes.io/metadata.name': nsOf(candidate),
          },
        )
      : named.length === 0 && nsOf(candidate) === nsOf(owner))
  return inNamespace && selectorTest(given.labelSelector)(labelsOf(candidate))
}

const at = (world: Plain, name: string): NodeObject | undefined =>
  world.nodes.find((node) => node.metadata.name === name)
const domain = (node: NodeObject | undefined, key: string): string | undefined =>
  node ? nodeLabels(node)[key] : undefined

function spreadSelector(
  pod: PodObject,
  selector: LabelSelector | null | undefined,
  keys: readonly string[] | null | undefined,
): (labels: Readonly<Record<string, string>>) => boolean {
  const test = selectorTest(selector)
  return (labels) =>
    test(labels) &&
    (keys ?? []).every((key) => !(key in labelsOf(pod)) || labels[key] === labelsOf(pod)[key])
}

function shortages(world: Plain, pod: PodObject, node: NodeObject): string[] {
  const here = world.standing.filter((entry) => entry.node === node.metadata.name)
  const short = (resource: string): boolean =>
    asks(pod, resource) > 0 &&
    asks(pod, resource) >
      gives(node, resource) - here.reduce((sum, entry) => sum + asks(entry.pod, resource), 0)
  const others = [...podRequest(pod.spec ?? {}, '').keys()].filter(
    (resource) => resource !== 'cpu' && resource !== 'memory',
  )
  return [
    ...(short('cpu') ? ['cpu'] : []),
    ...(short('memory') ? ['memory'] : []),
    ...(here.length + 1 > gives(node, 'pods') ? ['pods'] : []),
    ...others.filter(short),
  ]
}

const hostPorts = (pod: PodObject) =>
  (pod.spec?.containers ?? []).flatMap((container) =>
    (container.ports ?? []).filter((port) => (port.hostPort ?? 0) > 0),
  )

function spreadFails(world: Plain, pod: PodObject, node: NodeObject): boolean {
  const hard = (pod.spec?.topologySpreadConstraints ?? []).filter(
    (topologySpreadConstraint) => topologySpreadConstraint.whenUnsatisfiable === 'DoNotSchedule',
  )
  return hard.some((entry) => {
    const test = spreadSelector(pod, entry.labelSelector, entry.matchLabelKeys)
    const eligible = world.nodes.filter(
      (otherNode) =>
        hard.every((each) => domain(otherNode, each.topologyKey) !== undefined) &&
        (entry.nodeAffinityPolicy === 'Ignore' || selected(pod, otherNode)) &&
        (entry.nodeTaintsPolicy !== 'Honor' || taintsOk(pod, otherNode)),
    )
    const domains = [...new Set(eligible.map((candidate) => domain(candidate, entry.topologyKey)))]
    const matching = (name: string | undefined): number =>
      world.standing.filter(
        (each) =>
          nsOf(each.pod) === nsOf(pod) &&
          !each.pod.metadata.deletionTimestamp &&
          test(labelsOf(each.pod)) &&
          eligible.some(
            (candidate) =>
              candidate.metadata.name === each.node &&
              domain(candidate, entry.topologyKey) === name,
          ),
      ).length
    const least = domains.length < (entry.minDomains ?? 1) ? 0 : Math.min(...domains.map(matching))
    const own = domain(node, entry.topologyKey)
    return (
      own === undefined || matching(own) + (test(labelsOf(pod)) ? 1 : 0) - least > entry.maxSkew
    )
  })
}

function affinityFails(world: Plain, pod: PodObject, node: NodeObject): boolean {
  const terms =
    pod.spec?.affinity?.podAffinity?.requiredDuringSchedulingIgnoredDuringExecution ?? []
  if (terms.length === 0) return false
  const friends = world.standing.filter((entry) =>
    terms.every((each) => means(world, pod, each, entry.pod)),
  )
  if (friends.length === 0 && terms.every((each) => means(world, pod, each, pod)))
    return terms.some((each) => domain(node, each.topologyKey) === undefined)
  return !terms.every(
    (each) =>
      domain(node, each.topologyKey) !== undefined &&
      friends.some(
        (friend) =>
          domain(at(world, friend.node), each.topologyKey) === domain(node, each.topologyKey),
      ),
  )
}

function antiFails(world: Plain, pod: PodObject, node: NodeObject): boolean {
  const same = (otherName: string, key: string): boolean =>
    domain(node, key) !== undefined && domain(at(world, otherName), key) === domain(node, key)
  const own =
    pod.spec?.affinity?.podAntiAffinity?.requiredDuringSchedulingIgnoredDuringExecution ?? []
  if (
    own.some((each) =>
      world.standing.some(
        (entry) => means(world, pod, each, entry.pod) && same(entry.node, each.topologyKey),
      ),
    )
  )
    return true
  return world.standing.some((entry) =>
    (
      entry.pod.spec?.affinity?.podAntiAffinity?.requiredDuringSchedulingIgnoredDuringExecution ??
      []
    ).some((each) => means(world, entry.pod, each, pod) && same(entry.node, each.topologyKey)),
  )
}

function why(world: Plain, pod: PodObject, node: NodeObject): readonly string[] {
  if (
    node.spec?.unschedulable === true &&
    !tolerated(pod, { key: 'node.kubernetes.io/unschedulable', effect: 'NoSchedule' })
  )
    return ['cordoned']
  if (!taintsOk(pod, node)) return ['taint']
  if (!selected(pod, node)) return ['selector']
  const used = world.standing
    .filter((entry) => entry.node === node.metadata.name)
    .flatMap((entry) => hostPorts(entry.pod))
  const clash = hostPorts(pod).some((port) =>
    used.some(
      (candidate) =>
        candidate.hostPort === port.hostPort &&
        (candidate.protocol ?? 'TCP') === (port.protocol ?? 'TCP') &&
        (!candidate.hostIP || !port.hostIP || candidate.hostIP === port.hostIP),
    ),
  )
  if (clash) return ['port']
  const short = shortages(world, pod, node)
  if (short.length > 0) return short
  if (spreadFails(world, pod, node)) return ['spread']
  if (affinityFails(world, pod, node)) return ['affinity']
  return antiFails(world, pod, node) ? ['anti-affinity'] : []
}

function scale(values: readonly number[], upwards: boolean): readonly number[] {
  const low = Math.min(...values)
  const high = Math.max(...values)
  return values.map((value) => {
    if (high === low) {
      if (upwards) return 0
      return 100
    }
    if (upwards) return (100 * (value - low)) / (high - low)
    return (100 * (high - value)) / (high - low)
  })
}

function scoresOf(world: Plain, pod: PodObject, nodes: readonly NodeObject[]): readonly number[] {
  const usage = (node: NodeObject, resource: string): number =>
    Math.min(
      1,
      (world.standing
        .filter((entry) => entry.node === node.metadata.name)
        .reduce((sum, entry) => sum + counts(entry.pod, resource), 0) +
        counts(pod, resource)) /
        gives(node, resource),
    )
  const liked = scale(
    nodes.map((node) =>
      (
        pod.spec?.affinity?.nodeAffinity?.preferredDuringSchedulingIgnoredDuringExecution ?? []
      ).reduce((sum, eachTerm) => sum + (term(node, eachTerm.preference) ? eachTerm.weight : 0), 0),
    ),
    true,
  )
  const preferred = [
    ...(pod.spec?.affinity?.podAffinity?.preferredDuringSchedulingIgnoredDuringExecution ?? []).map(
      (eachTerm) => ({ term: eachTerm.podAffinityTerm, weight: eachTerm.weight }),
    ),
    ...(
      pod.spec?.affinity?.podAntiAffinity?.preferredDuringSchedulingIgnoredDuringExecution ?? []
    ).map((eachTerm) => ({ term: eachTerm.podAffinityTerm, weight: -eachTerm.weight })),
  ]
  const friendly = scale(
    nodes.map((node) =>
      preferred.reduce(
        (sum, entry) =>
          sum +
          (domain(node, entry.term.topologyKey) !== undefined &&
          world.standing.some(
            (each) =>
              means(world, pod, entry.term, each.pod) &&
              domain(at(world, each.node), entry.term.topologyKey) ===
                domain(node, entry.term.topologyKey),
          )
            ? entry.weight
            : 0),
        0,
      ),
    ),
    true,
  )
  const soft = (pod.spec?.topologySpreadConstraints ?? []).filter(
    (topologySpreadConstraint) => topologySpreadConstraint.whenUnsatisfiable === 'ScheduleAnyway',
  )
  const inDomain = (node: NodeObject, entry: (typeof soft)[number]): number => {
    const test = spreadSelector(pod, entry.labelSelector, entry.matchLabelKeys)
    return world.standing.filter((each) => {
      const candidate = at(world, each.node)
      const eligible =
        candidate !== undefined &&
        soft.every((every) => domain(candidate, every.topologyKey) !== undefined) &&
        (entry.nodeAffinityPolicy === 'Ignore' || selected(pod, candidate)) &&
        (entry.nodeTaintsPolicy !== 'Honor' || taintsOk(pod, candidate))
      return (
        eligible &&
        nsOf(each.pod) === nsOf(pod) &&
        !each.pod.metadata.deletionTimestamp &&
        test(labelsOf(each.pod)) &&
        domain(candidate, entry.topologyKey) === domain(node, entry.topologyKey)
      )
    }).length
  }
  const having = nodes.filter((node) =>
    soft.every((candidate) => domain(node, candidate.topologyKey) !== undefined),
  )
  const crowds = scale(
    having.map((node) => soft.reduce((sum, eachTerm) => sum + inDomain(node, eachTerm), 0)),
    false,
  )
  const disliked = nodes.map(
    (node) =>
      (node.spec?.taints ?? []).filter(
        (taint) => taint.effect === 'PreferNoSchedule' && !tolerated(pod, taint),
      ).length,
  )
  const max = Math.max(...disliked)
  return nodes.map((node, i) => {
    const cpu = usage(node, 'cpu')
    const memory = usage(node, 'memory')
    let spread: number
    if (soft.length === 0) spread = 100
    else if (having.includes(node)) spread = crowds[having.indexOf(node)] ?? 0
    else spread = 0
    return (
      (100 * (1 - cpu + (1 - memory))) / 2 +
      100 * (1 - Math.abs(cpu - memory) / 2) +
      (2 * (liked[i] ?? 0) +
        2 * (friendly[i] ?? 0) +
        2 * spread +
        3 * (max === 0 ? 100 : 100 * (1 - (disliked[i] ?? 0) / max)))
    )
  })
}

export interface PlainAnswer {
  readonly placed: readonly { readonly pod: string; readonly node: string }[]
  readonly waiting: readonly {
    readonly pod: string
    readonly tally: Readonly<Record<string, number>>
  }[]
}

/** Places what waits, one pod after another. */
export function placePlainly(objects: readonly { readonly kind: string }[]): PlainAnswer {
  const pods = ofKind(objects, 'Pod')
  const namespaces = ofKind(objects, 'Namespace')
  const world: Plain = {
    nodes: ofKind(objects, 'Node').toSorted((a, b) => (a.metadata.name < b.metadata.name ? -1 : 1)),
    namespaces: new Map(
      namespaces.map((namespace) => [
        namespace.metadata.name,
        { 'kubernetes.io/metadata.name': namespace.metadata.name, ...namespace.metadata.labels },
      ]),
    ),
    standing: pods
      .filter((pod) => pod.spec?.nodeName && !isDone(pod))
      .map((pod) => ({ pod, node: pod.spec?.nodeName ?? '' })),
  }
  const created = (pod: PodObject): number =>
    pod.metadata.creationTimestamp ? Date.parse(pod.metadata.creationTimestamp) : Infinity
  const queue = pods
    .filter((pod) => !pod.spec?.nodeName && !isDone(pod) && !pod.metadata.deletionTimestamp)
    .toSorted(
      (a, b) =>
        (b.spec?.priority ?? 0) - (a.spec?.priority ?? 0) ||
        (created(a) === created(b) ? 0 : created(a) - created(b)) ||
        (nsOf(a) === nsOf(b)
          ? inOrder(a.metadata.name, b.metadata.name)
          : inOrder(nsOf(a), nsOf(b))),
    )
  const placed: { pod: string; node: string }[] = []
  const waiting: { pod: string; tally: Readonly<Record<string, number>> }[] = []
  for (const pod of queue) {
    const reasons = world.nodes.map((node) => why(world, pod, node))
    const feasible = world.nodes.filter((_, i) => reasons[i]?.length === 0)
    if (feasible.length === 0) {
      const tally: Record<string, number> = {}
      for (const reason of reasons.flat()) tally[reason] = (tally[reason] ?? 0) + 1
      waiting.push({ pod: keyOf(pod), tally })
      continue
    }
    const scores = scoresOf(world, pod, feasible)
    const best = feasible[scores.indexOf(Math.max(...scores))]
    if (!best) continue
    world.standing = [...world.standing, { pod, node: best.metadata.name }]
    placed.push({ pod: keyOf(pod), node: best.metadata.name })
  }
  return { placed, waiting }
}
