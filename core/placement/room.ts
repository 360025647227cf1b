/**
 * The room there is: nodes with what they can give and what is taken, and the pods that stand on them.
 * The one thing here with a life of its own: pods are put and taken, and everything counted about them follows at once.
 * Nodes lie in arrays by index, sorted by name; nodes that are tried out are added behind and taken off again.
 * Putting or taking a pod costs the counters that its shape is in.
 */
import { amountOf, nodeTermTest, type NodeObject, type PodObject, type Taint } from '../objects'
import { compareText } from '../units'
import { AttachedVolumes, bump, type VolumeFacts } from './attached-volumes'
import type { HostPort, Shape, Term } from './shape'
import { tolerates } from './shape'

export interface Pod {
  /** `namespace/name` */
  readonly key: string
  readonly shape: Shape
  readonly priority: number
  /** Whether it may push others out. */
  readonly preempts: boolean
  /** Milliseconds; infinite where absent. */
  readonly createdAt: number
  readonly startedAt: number
  readonly isLeaving: boolean
  readonly isFinished: boolean
  readonly object: PodObject
  /** JSON pointer below `/objects`. */
  readonly pointer: string
  /** Equal for pods of identical spec. */
  readonly alike: string
}

/** How many pods a term means stand on each node. */
interface Counter {
  readonly matches: Term['matches']
  readonly perNode: Map<number, number>
  /** Spread does not count pods that are leaving; affinity does. */
  readonly countsLeaving: boolean
}

/** Nodes by the value of a label; −1 where a node has none. */
export interface Domains {
  readonly of: Int32Array
  count: number
}

/** What cordon, taints and selectors say about each node for pods that ask alike. */
export interface Fit {
  readonly cordoned: Uint8Array
  readonly tainted: Uint8Array
  readonly excluded: Uint8Array
  /** The first of the three that fails, as a filter's code; 0 for none. */
  readonly codes: Uint8Array
  /** Weights of the preferred node terms that hold. */
  readonly preferred: Float64Array | null
  /** Number of PreferNoSchedule taints that are not tolerated. */
  readonly disliked: Uint16Array
  readonly anyDisliked: boolean
}

const spare = 256
const cordonTaint: Taint = { key: 'node.kubernetes.io/unschedulable', effect: 'NoSchedule' }

export class Room {
  /** How many nodes there are, those tried out included; the first `standing` are given ones, in the order of their names. */
  count = 0
  readonly standing: number
  readonly names: string[] = []
  readonly nodes: NodeObject[] = []
  /** cpu, memory, then every other resource that a node or pod names. */
  readonly resources: string[] = ['cpu', 'memory']
  readonly allocatable: Float64Array[]
  readonly used: Float64Array[]
  readonly podLimit: Float64Array
  readonly podCount: Float64Array
  readonly scoreCpu: Float64Array
  readonly scoreMemory: Float64Array
  readonly podsOn: Pod[][] = []
  readonly ports: (readonly HostPort[])[][] = []
  private readonly capacity: number
  private readonly indexOf = new Map<string, number>()
  private readonly shapes = new Map<
    Shape,
    {
      readonly on: Map<number, number>
      readonly leaving: Map<number, number>
      readonly counters: Counter[]
    }
  >()
  private readonly counters = new Map<string, Counter>()
  /** Required anti-affinity of pods that stand, by what it means and where: where those pods are. */
  private readonly guards = new Map<
    string,
    { readonly term: Term; readonly perNode: Map<number, number> }
  >()
  private readonly guardsOf = new Map<
    Shape,
    readonly { readonly term: Term; readonly perNode: Map<number, number> }[]
  >()
  private readonly domains = new Map<
    string,
    { readonly domains: Domains; readonly ids: Map<string, number> }
  >()
  private readonly fits = new Map<string, { fit: Fit; upTo: number }>()
  private readonly volumes: AttachedVolumes

  constructor(
    nodes: readonly { readonly node: NodeObject; readonly path: string }[],
    volumes: VolumeFacts,
  ) {
    this.capacity = nodes.length + spare
    this.podLimit = new Float64Array(this.capacity)
    this.podCount = new Float64Array(this.capacity)
    this.scoreCpu = new Float64Array(this.capacity)
    this.scoreMemory = new Float64Array(this.capacity)
    this.allocatable = [new Float64Array(this.capacity), new Float64Array(this.capacity)]
    this.used = [new Float64Array(this.capacity), new Float64Array(this.capacity)]
    this.volumes = new AttachedVolumes(volumes)
    const sorted = [...nodes].sort((a, b) =>
      compareText(a.node.metadata.name, b.node.metadata.name),
    )
    this.standing = sorted.length
    for (const { node, path } of sorted) this.addNode(node, path)
  }

  nodeIndex(name: string): number {
    return this.indexOf.get(name) ?? -1
  }

  /** The index of a resource in the arrays, made known if it is new. */
  resourceIndex(resource: string): number {
    const index = this.resources.indexOf(resource)
    if (index >= 0) return index
    this.resources.push(resource)
    this.allocatable.push(new Float64Array(this.capacity))
    this.used.push(new Float64Array(this.capacity))
    return this.resources.length - 1
  }

  get isFull(): boolean {
    return this.count >= this.capacity
  }

  /** Adds a node behind the others. Throws BadQuantity for an amount that does not parse. */
  addNode(node: NodeObject, path: string): number {
    const index = this.count++
    const { name } = node.metadata
    this.names[index] = name
    this.nodes[index] = node
    this.podsOn[index] = []
    this.ports[index] = []
    this.volumes.addNode(index)
    this.indexOf.set(name, index)
    const field = node.status?.allocatable ? 'allocatable' : 'capacity'
    const given = node.status?.allocatable ?? node.status?.capacity ?? {}
    for (let r = 0; r < this.resources.length; r++) this.give(r, index, 0)
    this.podLimit[index] = Infinity
    for (const resource in given) {
      const amount = amountOf(resource, given[resource] ?? 0, `${path}.status.${field}.${resource}`)
      if (resource === 'pods') this.podLimit[index] = amount
      else this.give(this.resourceIndex(resource), index, amount)
    }
    this.podCount[index] = this.scoreCpu[index] = this.scoreMemory[index] = 0
    for (const [key, { domains, ids }] of this.domains)
      domains.of[index] = domainId(node, key, ids, domains)
    return index
  }

  private give(resource: number, node: number, amount: number): void {
    const allocatable = this.allocatable[resource]
    const used = this.used[resource]
    if (!allocatable || !used) return
    allocatable[node] = amount
    used[node] = 0
  }

  /** Takes the last node off again; no pod may stand on it. */
  dropLastNode(): void {
    const index = --this.count
    this.indexOf.delete(this.names[index] ?? '')
    this.names.length = this.nodes.length = this.podsOn.length = this.ports.length = index
    this.volumes.dropNodesFrom(index)
    for (const fit of this.fits.values()) fit.upTo = Math.min(fit.upTo, index)
  }

  /** Nodes by their value of a label. */
  domainsOf(key: string): Domains {
    const domain = this.domains.get(key)
    if (domain) return domain.domains
    const domains: Domains = { of: new Int32Array(this.capacity).fill(-1), count: 0 }
    const ids = new Map<string, number>()
    for (let i = 0; i < this.count; i++) domains.of[i] = domainId(this.nodes[i], key, ids, domains)
    this.domains.set(key, { domains, ids })
    return domains
  }

  /** What cordon, taints and selectors say about every node. */
  fitOf(shape: Shape): Fit {
    let existingFit = this.fits.get(shape.fitKey)
    if (!existingFit) {
      const preferences =
        shape.spec.affinity?.nodeAffinity?.preferredDuringSchedulingIgnoredDuringExecution ?? []
      const fit: Fit = {
        cordoned: new Uint8Array(this.capacity),
        tainted: new Uint8Array(this.capacity),
        excluded: new Uint8Array(this.capacity),
        codes: new Uint8Array(this.capacity),
        preferred: preferences.length > 0 ? new Float64Array(this.capacity) : null,
        disliked: new Uint16Array(this.capacity),
        anyDisliked: false,
      }
      existingFit = { fit, upTo: 0 }
      this.fits.set(shape.fitKey, existingFit)
    }
    if (existingFit.upTo < this.count) {
      existingFit.fit = {
        ...existingFit.fit,
        anyDisliked:
          this.fillFit(shape, existingFit.fit, existingFit.upTo) || existingFit.fit.anyDisliked,
      }
      existingFit.upTo = this.count
    }
    return existingFit.fit
  }

  private fillFit(shape: Shape, fit: Fit, from: number): boolean {
    const { spec } = shape
    const tolerations = spec.tolerations ?? []
    const covers = (taint: Taint): boolean =>
      tolerations.some((toleration) => tolerates(toleration, taint))
    const takesCordoned = covers(cordonTaint)
    const wanted = Object.entries(spec.nodeSelector ?? {})
    const required = spec.affinity?.nodeAffinity?.requiredDuringSchedulingIgnoredDuringExecution
    const terms = required ? (required.nodeSelectorTerms ?? []).map(nodeTermTest) : null
    const preferences = (
      spec.affinity?.nodeAffinity?.preferredDuringSchedulingIgnoredDuringExecution ?? []
    ).map(({ weight, preference }) => ({ weight, holds: nodeTermTest(preference) }))
    let anyDisliked = false
    for (let i = from; i < this.count; i++) {
      const node = this.nodes[i]
      if (!node) continue
      const labels = node.metadata.labels ?? {}
      const taints = node.spec?.taints ?? []
      fit.cordoned[i] = node.spec?.unschedulable === true && !takesCordoned ? 1 : 0
      fit.tainted[i] = taints.some(
        (taint) =>
          (taint.effect === 'NoSchedule' || taint.effect === 'NoExecute') && !covers(taint),
      )
        ? 1
        : 0
      const selected =
        wanted.every(([key, value]) => Object.hasOwn(labels, key) && labels[key] === value) &&
        (terms === null || terms.some((holds) => holds(labels, node.metadata.name)))
      fit.excluded[i] = selected ? 0 : 1
      if (fit.cordoned[i] === 1) fit.codes[i] = 1
      else if (fit.tainted[i] === 1) fit.codes[i] = 2
      else fit.codes[i] = selected ? 0 : 3
      const disliked = taints.filter(
        (taint) => taint.effect === 'PreferNoSchedule' && !covers(taint),
      ).length
      fit.disliked[i] = disliked
      anyDisliked ||= disliked > 0
      if (fit.preferred)
        fit.preferred[i] = preferences.reduce(
          (sum, { weight, holds }) => (holds(labels, node.metadata.name) ? sum + weight : sum),
          0,
        )
    }
    return anyDisliked
  }

  /** Makes a shape known, so that counters made later find it. */
  private shapeFacts(shape: Shape) {
    let facts = this.shapes.get(shape)
    if (!facts) {
      facts = {
        on: new Map<number, number>(),
        leaving: new Map<number, number>(),
        counters: [...this.counters.values()].filter((counter) =>
          counter.matches(shape.namespace, shape.labels),
        ),
      }
      this.shapes.set(shape, facts)
    }
    return facts
  }

  /** Pods on each node for which `matches` holds. `means` names them; the answer is kept up to date from then on. */
  countOf(
    means: string,
    matches: Term['matches'],
    countsLeaving: boolean,
  ): ReadonlyMap<number, number> {
    const key = `${countsLeaving ? 'all' : 'staying'} ${means}`
    let counter = this.counters.get(key)
    if (!counter) {
      counter = { matches, perNode: new Map(), countsLeaving }
      this.counters.set(key, counter)
      for (const [shape, facts] of this.shapes) {
        if (!matches(shape.namespace, shape.labels)) continue
        facts.counters.push(counter)
        for (const [node, count] of facts.on) bump(counter.perNode, node, count)
        if (countsLeaving)
          for (const [node, count] of facts.leaving) bump(counter.perNode, node, count)
      }
    }
    return counter.perNode
  }

  /** Required anti-affinity of pods that stand and that mean pods of this shape. */
  guardsAgainst(
    shape: Shape,
  ): readonly { readonly term: Term; readonly perNode: ReadonlyMap<number, number> }[] {
    let guard = this.guardsOf.get(shape)
    if (!guard) {
      guard = [...this.guards.values()].filter(({ term }) =>
        term.matches(shape.namespace, shape.labels),
      )
      this.guardsOf.set(shape, guard)
    }
    return guard
  }

  put(pod: Pod, node: number): void {
    this.podsOn[node]?.push(pod)
    this.change(pod, node, 1)
  }

  /** Puts back what was taken, at the place among the node’s pods that it had. */
  take(pod: Pod, node: number): void {
    const here = this.podsOn[node]
    const at = here?.lastIndexOf(pod) ?? -1
    if (!here || at < 0)
      throw new Error(`${pod.key} does not stand on ${this.names[node] ?? String(node)}`)
    here.splice(at, 1)
    this.change(pod, node, -1)
  }

  /** A pod that holds claims, but on a node that is not among those given. */
  holdElsewhere(pod: Pod): void {
    this.volumes.holdElsewhere(pod.shape)
  }

  private change(pod: Pod, node: number, by: 1 | -1): void {
    const { shape } = pod
    const add = (array: Float64Array | undefined, amount: number): void => {
      if (array) array[node] = (array[node] ?? 0) + by * amount
    }
    add(this.used[0], shape.cpuMilli)
    add(this.used[1], shape.memoryBytes)
    for (const [resource, amount] of shape.others)
      add(this.used[this.resourceIndex(resource)], amount)
    add(this.scoreCpu, shape.scoreCpuMilli)
    add(this.scoreMemory, shape.scoreMemoryBytes)
    add(this.podCount, 1)
    if (shape.ports.length > 0) {
      const here = this.ports[node]
      if (by > 0) here?.push(shape.ports)
      else here?.splice(here.indexOf(shape.ports), 1)
    }
    const facts = this.shapeFacts(shape)
    bump(pod.isLeaving ? facts.leaving : facts.on, node, by)
    for (const counter of facts.counters)
      if (counter.countsLeaving || !pod.isLeaving) bump(counter.perNode, node, by)
    for (const term of shape.antiAffinity) {
      const key = `${term.topologyKey} ${term.means}`
      let guard = this.guards.get(key)
      if (!guard) {
        guard = { term, perNode: new Map() }
        this.guards.set(key, guard)
        this.guardsOf.clear()
      }
      bump(guard.perNode, node, by)
    }
    this.volumes.change(shape, node, by)
  }

  /** Which nodes the volumes of a shape keep it from; null where it has none. */
  volumeTest(shape: Shape): ((node: number) => boolean) | null {
    return this.volumes.test(shape, this.nodes)
  }
}

function domainId(
  node: NodeObject | undefined,
  key: string,
  ids: Map<string, number>,
  domains: Domains,
): number {
  const value = node?.metadata.labels?.[key]
  if (value === undefined) return -1
  let id = ids.get(value)
  if (id === undefined) {
    id = domains.count++
    ids.set(value, id)
  }
  return id
}
