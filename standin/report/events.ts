/**
 * The events of a cluster: those that were noted as they happened, and those that follow from what was made within the
 * hour before the cluster last stirred (a pod that was given its node, a deployment that was given a replica set).
 * Oldest first. They follow from what the cluster holds alone, never from the clock: a cluster nothing happens to tells
 * the same a day later, so what was written down of it once still holds.
 */
import type { ClusterEvent } from '~/core/contract'
import { isoTime } from '../../core/units'
import { hashNow } from '../cluster/manifests'
import type { Cluster, Revision, Workload } from '../cluster-state'
import type { Simulator } from '../engine/simulator'

/** How far back events are told, before the last of them. */
const keptMs = 3_600_000

type Timed = Omit<ClusterEvent, 'at'> & { readonly at: number }

const noted = (reason: string, about: string, message: string, at: number): Timed => ({
  at,
  type: 'Normal',
  reason,
  about,
  message,
})

function scheduled({ running }: Cluster, since: number): readonly Timed[] {
  return running.flatMap(({ namespace, name, node, createdAt }) =>
    node === null || createdAt < since
      ? []
      : [
          noted(
            'Scheduled',
            `pod/${namespace}/${name}`,
            `Successfully assigned ${namespace}/${name} to ${node}`,
            createdAt,
          ),
        ],
  )
}

type TakenUp = Pick<Revision, 'hash' | 'at' | 'again'>

/** When a template was meant last. */
const takenUp = ({ at, again }: TakenUp): number => again ?? at

function scaled(workload: Workload, since: number): readonly Timed[] {
  if (workload.kind !== 'Deployment') return []
  const { name, namespace, createdAt, replicas } = workload
  const first: TakenUp = { hash: hashNow(workload), at: createdAt }
  const revisions: readonly TakenUp[] = workload.revisions ?? [first]
  return revisions.flatMap((revision) =>
    takenUp(revision) < since
      ? []
      : [
          noted(
            'ScalingReplicaSet',
            `deployment/${namespace}/${name}`,
            `Scaled up replica set ${name}-${revision.hash} to ${replicas}`,
            takenUp(revision),
          ),
        ],
  )
}

/** When the cluster last noted an event, gave a pod its node or took up a template. */
function lastStirred({ events, running, workloads, createdAt }: Cluster): number {
  let last = createdAt
  for (const { at } of events) last = Math.max(last, at)
  for (const pod of running) last = Math.max(last, pod.createdAt)
  for (const { createdAt: made, revisions = [] } of workloads)
    last = Math.max(last, made, ...revisions.map(takenUp))
  return last
}

export function eventsOf(sim: Simulator, name: string): readonly ClusterEvent[] {
  const cluster = sim.cluster(name)
  if (!cluster) return []
  // What stood when the world began was not made within it.
  const since = Math.max(lastStirred(cluster) - keptMs, cluster.createdAt + 1)
  const all: readonly Timed[] = [
    ...cluster.events,
    ...scheduled(cluster, since),
    ...cluster.workloads.flatMap((workload) => scaled(workload, since)),
  ]
  return [...all].sort((a, b) => a.at - b.at).map((event) => ({ ...event, at: isoTime(event.at) }))
}
