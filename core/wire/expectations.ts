/** What is expected to be reached, or not to be: walked again whenever something changes. */
import { type ExpectationView, type FleetView, knownObjects } from '../fleet'
import { readyWorldOf } from './from-fleet'
import { fromSchema, toSchema } from './world'
import { walk } from './walk'
import { walkAnswer } from './walk-answer'
import { type WalkQuery } from './hops'
import { type Decider } from './hops'
import type { ReadyWorld } from './prepared'
import { type ApiObject, podsOfWorkload } from '../objects'

export interface Expected {
  readonly name: string
  /** Whether it is to be delivered. */
  readonly wanted: boolean
  readonly holds: boolean
  readonly says: string
  readonly hop: string | null
  readonly by: Decider
}

export function queryOf(expectation: ExpectationView): WalkQuery | null {
  const from = fromSchema.safeParse(expectation.from)
  const to = toSchema.safeParse(expectation.to)
  return from.success && to.success
    ? { from: from.data, to: to.data, port: expectation.port, protocol: expectation.protocol }
    : null
}

/** Clusters that an expectation speaks of. */
export const clustersOf = (expectation: ExpectationView): readonly string[] =>
  [expectation.from['cluster'], expectation.to['cluster']].flatMap((name) => name ?? [])

/** A workload’s name stands for its first pod that has an address. */
function present<End extends object>(world: ReadyWorld, end: End): End {
  if (!('pod' in end) || !('cluster' in end)) return end
  const cluster = world.clusters.get(String(end.cluster))
  const key = String(end.pod)
  if (!cluster || cluster.policies.pods.has(key)) return end
  const matchingPod = podsOfWorkload(cluster.given.objects as readonly ApiObject[], key)
    .flatMap(
      (pod) =>
        cluster.policies.pods.get(`${pod.metadata.namespace ?? 'default'}/${pod.metadata.name}`) ??
        [],
    )
    .find((pod) => pod.addresses.length > 0 && !pod.finished)
  return matchingPod ? { ...end, pod: matchingPod.key } : end
}

/** What is walked for an expectation now; null where it does not say who reaches whom. */
export function presentQuery(world: ReadyWorld, expectation: ExpectationView): WalkQuery | null {
  const given = queryOf(expectation)
  return given && { ...given, from: present(world, given.from), to: present(world, given.to) }
}

export function expectedIn(world: ReadyWorld, expectation: ExpectationView): Expected {
  const query = presentQuery(world, expectation)
  const walkRead = query ? walk(world, query) : null
  const wanted = expectation.delivered
  if (!walkRead?.ok)
    return {
      name: expectation.name,
      wanted,
      holds: false,
      says: walkRead && !walkRead.ok ? walkRead.says : 'It does not say who reaches whom.',
      hop: null,
      by: 'default',
    }
  const answer = walkAnswer(walkRead.walk)
  return {
    name: expectation.name,
    wanted,
    holds: walkRead.walk.delivered === wanted,
    says:
      answer.hops.at(-1)?.says ?? (walkRead.walk.delivered ? 'It arrives.' : 'It does not arrive.'),
    hop: answer.decided.hop,
    by: answer.decided.by,
  }
}

/** Every expectation against what is set up now; clusters that rest or do not answer are left out. */
export function expectations(view: FleetView): readonly Expected[] {
  const all = view.expectations ?? []
  if (all.length === 0) return []
  const read = readyWorldOf(view)
  if (!read.ok) return []
  return all
    .filter((expectation) =>
      clustersOf(expectation).every((name) => knownObjects(view, name) !== undefined),
    )
    .map((expectation) => expectedIn(read.world, expectation))
}
