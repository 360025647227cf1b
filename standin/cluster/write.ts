/** What somebody writes at a cluster’s API: whole objects, taken or refused in the same moment. */
import { list, record, text } from '../../core/objects'
import type { Behaviour, Sim } from '../engine/sim'
import { settleFronts } from '../traffic/fronts'
import type { Cluster, Manifest, Node, OperationFailure } from '../world'
import { permanent } from '../failures'
import { withDefaults } from './admission'
import { answering } from './api'
import { budgetAgainst } from './budgets'
import { makesPods, objectKey } from './manifests'
import { objectionTo, settle } from './objects'
import { endRevision, leavePods, revisionBehind } from './left-behind'
import { drop, namespaced, store } from './stored'
import { disown, own } from './owned'
import { podKey, record as note } from './pod-events'
import { fillWorkload } from './controllers'
import { removePod } from './pods'
import { loads } from './placing'
import { workloadOf } from './fits'
import { said } from './says'
import { trialOf } from './trial'

/** A pod that is taken away; its controller makes another. */
function endPod(sim: Sim, cluster: Cluster, key: string): boolean {
  const pod = cluster.running.find((candidate) => podKey(candidate) === key)
  if (!pod) return false
  removePod(sim, cluster, pod)
  note(sim, cluster, 'Normal', 'Killing', `pod/${key}`, 'Stopping container')
  const workload = workloadOf(cluster, pod)
  if (workload) fillWorkload(sim, cluster, workload, loads(cluster))
  return true
}

const closedTaint = 'node.kubernetes.io/unschedulable'

function setNode(sim: Sim, cluster: Cluster, node: Node, object: Manifest): void {
  const spec = record(object['spec'])
  const labels = Object.entries(record(object.metadata.labels)).flatMap(([key, value]) =>
    typeof value === 'string' ? [[key, value] as const] : [],
  )
  const taints = list(spec['taints'])
    .map(record)
    .filter((taint) => taint['key'] !== closedTaint)
    .map((taint) => ({
      key: text(taint['key']),
      value: text(taint['value']),
      effect: text(taint['effect']),
    }))
  Object.assign(node, {
    labels: Object.fromEntries(labels),
    taints,
    cordoned: spec['unschedulable'] === true,
  })
  const load = loads(cluster)
  for (const workload of cluster.workloads) fillWorkload(sim, cluster, workload, load)
  sim.touchCluster(cluster.name)
}

interface Write {
  readonly identity: Manifest
  readonly object: Manifest | null
  readonly owners: Readonly<Record<string, string>>
  readonly leavesPods: boolean
}

/** Whether a pod is kept by a controller: what is written of it is not taken. */
function isKeptPod(cluster: Cluster, key: string): boolean {
  const pod = cluster.running.find((candidate) => podKey(candidate) === key)
  return pod !== undefined && workloadOf(cluster, pod)?.kind !== 'Pod'
}

/** Why a pod may not be evicted: a budget that it is under. */
function heldByBudget(cluster: Cluster, identity: Manifest): OperationFailure | null {
  const { namespace = '', name } = identity.metadata
  const pod = cluster.running.find((candidate) => podKey(candidate) === `${namespace}/${name}`)
  const budget = pod && budgetAgainst(cluster, pod)
  if (!pod || !budget) return null
  const told = said('budget-holds', {
    budget: budget.name,
    healthy: budget.healthy,
    desired: budget.desired,
  })
  const about = `poddisruptionbudget/${cluster.name}/${namespace}/${budget.name}`
  return permanent('eviction-refused', told, { about, ...told })
}

function write(sim: Sim, cluster: Cluster, { identity, object, owners, leavesPods }: Write): void {
  const { kind, metadata } = identity
  const node =
    kind === 'Node' ? cluster.nodes.find(({ name }) => name === metadata.name) : undefined
  if (node && object) {
    setNode(sim, cluster, node, object)
    return
  }
  const pod = `${metadata.namespace ?? ''}/${metadata.name}`
  if (kind === 'Pod' && object === null && endPod(sim, cluster, pod)) {
    disown(cluster, objectKey(identity))
    return
  }
  if (kind === 'Pod' && isKeptPod(cluster, pod)) return
  if (kind === 'ReplicaSet') {
    const set = revisionBehind(cluster, identity)
    if (set && object === null) endRevision(sim, cluster, set)
    if (set) return
  }
  if (object === null) {
    if (leavesPods) leavePods(cluster, identity)
    drop(sim, cluster, identity)
    return
  }
  store(sim, cluster, object)
  own(cluster, objectKey(object), owners, sim.now)
}

/** All objects of a command are taken, or none is. */
export const objectsWrite: Behaviour<'objects.write'> = {
  stages: [
    {
      seconds: 0,
      then: (sim, op) => {
        const cluster = answering(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        const { trial, dry } = trialOf(sim, cluster)
        const writes: Write[] = []
        for (const { identity, object, owners, leavesPods, isEvicted } of op.args.writes) {
          const held = isEvicted ? heldByBudget(cluster, identity) : null
          if (held) return held
          const wanted = object && withDefaults(trial, namespaced(object))
          const objection: OperationFailure | null = wanted
            ? objectionTo(sim, cluster, trial, wanted, new Set(), makesPods(wanted.kind))
            : null
          if (objection) return objection
          if (wanted) store(dry, trial, wanted)
          writes.push({ identity: namespaced(identity), object: wanted, owners, leavesPods })
        }
        if (op.args.isDry) return said('written', { count: 0 })
        for (const each of writes) write(sim, cluster, each)
        settleFronts(sim, cluster)
        settle(
          sim,
          cluster,
          writes.flatMap(({ object }) => (object ? [object] : [])),
        )
        return said('written', { count: writes.length })
      },
    },
  ],
}
