/**
 * One pass of placement: the waiting pods in their order, each put where it scores highest, or left with the reasons as they
 * stood at its turn. A pod that does not fit waits, even if a later one would have made room.
 * Cost: waiting pods × nodes, with a small constant; see bench/.
 */
import type { Said } from '../contract'
import { countText, listText } from '../units'
import { budgetsOf, type Budget } from './budgets'
import { choose } from './choose'
import { look, tallyOf } from './filters'
import { findPreemption } from './preempt'
import { findRemedies, proves, retarget, type PlacementRemedy } from './remedies'
import type { World } from './world'
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

/** Places what waits in a world. The world is changed: what is placed stands afterwards. */
export function place(world: World, options: PlacementOptions = {}): Placement {
  const { room } = world
  const placed: PlacedAnswer[] = []
  const waiting: WaitingAnswer[] = []
  const evicted: { pod: string; for: string }[] = []
  const groups = new Map<string, readonly PlacementRemedy[]>()
  let budgets: readonly Budget[] | null = null
  let least = Infinity
  for (let node = 0; node < room.count; node++)
    for (const pod of room.podsOn[node] ?? []) least = Math.min(least, pod.priority)
  let retries = 0
  for (const [turn, pod] of world.waiting.entries()) {
    if (turn % 500 === 0) options.onProgress?.(turn / world.waiting.length)
    const gates = pod.object.spec?.schedulingGates ?? []
    if (gates.length > 0) {
      waiting.push({
        pod: pod.key,
        tally: {},
        ...said('gated', {
          gates: gates.map((gate) => `“${gate.name ?? ''}”`),
        }),
        remedies: [],
      })
      continue
    }
    const seen = look(room, pod.shape)
    const choice = choose(room, seen, { scores: options.scores === true })
    if (choice.node >= 0) {
      room.put(pod, choice.node)
      least = Math.min(least, pod.priority)
      placed.push({
        pod: pod.key,
        node: room.names[choice.node] ?? '',
        ...(choice.scores
          ? {
              scores: Object.fromEntries(
                [...choice.scores].map(([node, score]) => [room.names[node] ?? '', score]),
              ),
            }
          : {}),
      })
      continue
    }
    const tally = tallyOf(room, seen, choice.codes)
    const group = groups.get(pod.alike)
    const isNew = !group && groups.size < mostGroups
    const mayPreempt =
      least < pod.priority && (options.preempt === true || (isNew && options.remedies !== false))
    const codes = choice.codes.slice(0, room.count)
    const preemption = mayPreempt
      ? findPreemption(room, pod, codes, (budgets ??= budgetsOf(world)))
      : null
    if (preemption && options.preempt === true) {
      for (const victim of preemption.victims) {
        room.take(victim, preemption.node)
        evicted.push({ pod: victim.key, for: pod.key })
        for (const budget of budgets ?? []) if (budget.covers(victim)) budget.healthy--
      }
      room.put(pod, preemption.node)
      placed.push({ pod: pod.key, node: room.names[preemption.node] ?? '' })
      continue
    }
    let remedies: readonly PlacementRemedy[] = []
    if (options.remedies !== false) {
      if (group && retries < mostRetries) {
        retries += group.length
        remedies = group
          .map((remedy) => retarget(remedy, pod))
          .filter((remedy) => proves(world, pod, remedy))
      } else if (isNew) {
        remedies = findRemedies(world, pod, seen, codes)
        groups.set(pod.alike, remedies)
      }
    }
    waiting.push({
      pod: pod.key,
      tally,
      ...said('no-node-fits', {
        tally: waitingText(tally, room.count),
        victims: preemption?.victims.map((victim) => victim.key) ?? [],
        node: preemption ? (room.names[preemption.node] ?? '') : '',
      }),
      remedies,
    })
  }
  options.onProgress?.(1)
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
