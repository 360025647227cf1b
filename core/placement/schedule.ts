/**
 * One pass of placement: the waiting pods in their order, each put where it scores highest, or left with the reasons as they
 * stood at its turn. A pod that does not fit waits, even if a later one would have made room.
 * Cost: waiting pods × nodes, with a small constant; see bench/.
 */
import type { Said } from '../contract'
import { countText, listText } from '../units'
import { budgetsOf, type Budget } from './budgets'
import { type Choice, choose } from './choose'
import { look, type Look, tallyOf } from './filters'
import { findPreemption, type Preemption } from './preempt'
import { findRemedies, proves, retarget, type PlacementRemedy } from './remedies'
import type { Room } from './room'
import type { Pod, World } from './world'
import { said } from './says'

export interface PlacementOptions {
  readonly scores?: boolean
  readonly preempt?: boolean
  /** Whether remedies are looked for; they are unless this is false. */
  readonly remedies?: boolean
  /** Called now and then with the share that is done. */
  readonly onProgress?: (share: number) => void
}

export interface PlacedAnswer {
  readonly pod: string
  readonly node: string
  readonly scores?: Readonly<Record<string, number>>
}

export interface WaitingAnswer extends Said {
  readonly pod: string
  /** Number of nodes by reason; empty for a gated pod. */
  readonly tally: Readonly<Record<string, number>>
  readonly remedies: readonly PlacementRemedy[]
}

export interface Placement {
  /** In the order of placing. */
  readonly placed: readonly PlacedAnswer[]
  readonly waiting: readonly WaitingAnswer[]
  readonly evicted: readonly { readonly pod: string; readonly for: string }[]
  readonly nodes: readonly {
    readonly name: string
    readonly cpuMilli: number
    readonly memoryBytes: number
    readonly pods: number
  }[]
}

/** How many groups of pods of identical spec get remedies, and how often a remedy of a group is proven again for another of its pods. */
const mostGroups = 100
const mostRetries = 2000

const is = (nodes: number): string => (nodes === 1 ? 'is' : 'are')
const has = (nodes: number): string => (nodes === 1 ? 'has' : 'have')

const words: Readonly<Record<string, (nodes: number) => string>> = {
  cordoned: (n) => `${is(n)} cordoned`,
  taint: (n) => `${has(n)} a taint that it does not tolerate`,
  selector: (n) => `${is(n)} left out by its selectors`,
  port: (n) => `${has(n)} its host port taken`,
  pods: (n) => `${is(n)} full by number of pods`,
  volume: (n) => `${is(n)} out of reach of its volumes`,
  spread: (n) => `${is(n)} against its spread`,
  affinity: (n) => `${is(n)} without the pods it wants beside it`,
  'anti-affinity': (n) => `${has(n)} pods that it must be kept from`,
}

/** Why nodes do not take a pod, with how many each: “2 are short of cpu, 1 is cordoned”; empty where there is none. */
export function reasonsText(tally: Readonly<Record<string, number>>): string {
  const parts = Object.entries(tally).map(
    ([reason, count]) =>
      `${count} ${(Object.hasOwn(words, reason) ? words[reason]?.(count) : undefined) ?? `${is(count)} short of ${reason}`}`,
  )
  return parts.length === 0 ? '' : listText(parts, 12)
}

/** The sentence for a waiting pod: how many nodes, and why none takes it. */
export function waitingText(tally: Readonly<Record<string, number>>, nodes: number): string {
  if (nodes === 0) return 'There is no node.'
  return `None of ${countText(nodes, 'node')} takes it: ${reasonsText(tally)}.`
}

/** What is remembered from one waiting pod to the next. */
interface Round {
  readonly world: World
  readonly options: PlacementOptions
  readonly placed: PlacedAnswer[]
  readonly waiting: WaitingAnswer[]
  readonly evicted: { pod: string; for: string }[]
  /** The remedies of pods that are alike. */
  readonly groups: Map<string, readonly PlacementRemedy[]>
  /** Read when they are first asked for. */
  budgets: readonly Budget[] | null
  /** The lowest priority of what stands: nothing below it can be evicted. */
  least: number
  retries: number
}

function lowestPriority(room: Room): number {
  let least = Infinity
  for (let node = 0; node < room.count; node++)
    for (const pod of room.podsOn[node] ?? []) least = Math.min(least, pod.priority)
  return least
}

function putDown(round: Round, pod: Pod, { node, scores }: Choice): void {
  const { room } = round.world
  room.put(pod, node)
  round.least = Math.min(round.least, pod.priority)
  const nameOf = (index: number): string => room.names[index] ?? ''
  round.placed.push({
    pod: pod.key,
    node: nameOf(node),
    ...(scores
      ? {
          scores: Object.fromEntries([...scores].map(([index, score]) => [nameOf(index), score])),
        }
      : {}),
  })
}

/** Evicts the victims of a preemption and puts the pod in their place. */
function preempt(round: Round, pod: Pod, { node, victims }: Preemption): void {
  const { room } = round.world
  for (const victim of victims) {
    room.take(victim, node)
    round.evicted.push({ pod: victim.key, for: pod.key })
    for (const budget of round.budgets ?? []) if (budget.covers(victim)) budget.healthy--
  }
  room.put(pod, node)
  round.placed.push({ pod: pod.key, node: room.names[node] ?? '' })
}

/** Remedies of a pod that finds no place: of the first of its like searched for, of the others tried again. */
function remediesOf(
  round: Round,
  pod: Pod,
  seen: Look,
  codes: Uint8Array,
  isNew: boolean,
): readonly PlacementRemedy[] {
  if (round.options.remedies === false) return []
  const group = round.groups.get(pod.alike)
  if (group && round.retries < mostRetries) {
    round.retries += group.length
    return group
      .map((remedy) => retarget(remedy, pod))
      .filter((remedy) => proves(round.world, pod, remedy))
  }
  if (!isNew) return []
  const remedies = findRemedies(round.world, pod, seen, codes)
  round.groups.set(pod.alike, remedies)
  return remedies
}

/** A place for one pod, or why there is none. */
function placeOne(round: Round, pod: Pod): void {
  const { world, options } = round
  const { room } = world
  const gates = pod.object.spec?.schedulingGates ?? []
  if (gates.length > 0) {
    round.waiting.push({
      pod: pod.key,
      tally: {},
      ...said('gated', { gates: gates.map((gate) => `“${gate.name ?? ''}”`) }),
      remedies: [],
    })
    return
  }
  const seen = look(room, pod.shape)
  const choice = choose(room, seen, { scores: options.scores === true })
  if (choice.node >= 0) {
    putDown(round, pod, choice)
    return
  }
  // Taken now: the codes are overwritten by the next choice in this room.
  const tally = tallyOf(room, seen, choice.codes)
  const codes = choice.codes.slice(0, room.count)
  const isNew = !round.groups.has(pod.alike) && round.groups.size < mostGroups
  const mayPreempt =
    round.least < pod.priority &&
    (options.preempt === true || (isNew && options.remedies !== false))
  const preemption = mayPreempt
    ? findPreemption(room, pod, codes, (round.budgets ??= budgetsOf(world)))
    : null
  if (preemption && options.preempt === true) {
    preempt(round, pod, preemption)
    return
  }
  round.waiting.push({
    pod: pod.key,
    tally,
    ...said('no-node-fits', {
      tally: waitingText(tally, room.count),
      victims: preemption?.victims.map((victim) => victim.key) ?? [],
      node: preemption ? (room.names[preemption.node] ?? '') : '',
    }),
    remedies: remediesOf(round, pod, seen, codes, isNew),
  })
}

/** Places what waits in a world. The world is changed: what is placed stands afterwards. */
export function place(world: World, options: PlacementOptions = {}): Placement {
  const round: Round = {
    world,
    options,
    placed: [],
    waiting: [],
    evicted: [],
    groups: new Map(),
    budgets: null,
    least: lowestPriority(world.room),
    retries: 0,
  }
  for (const [turn, pod] of world.waiting.entries()) {
    if (turn % 500 === 0) options.onProgress?.(turn / world.waiting.length)
    placeOne(round, pod)
  }
  options.onProgress?.(1)
  const { placed, waiting, evicted } = round
  return { placed, waiting, evicted, nodes: nodeLoads(world) }
}

/** Requests and number of all pods on each node, in the order the nodes were given. */
export function nodeLoads(world: World): Placement['nodes'] {
  const { room } = world
  return world.nodeNames.map((name) => {
    const node = room.nodeIndex(name)
    return {
      name,
      cpuMilli: room.used[0]?.[node] ?? 0,
      memoryBytes: room.used[1]?.[node] ?? 0,
      pods: room.podCount[node] ?? 0,
    }
  })
}
