/** What the controllers of workloads do: they make and remove pods as each kind has it, one turn at a time. */
import type { Sim } from '../engine/sim'
import type { Cluster, Pod, Workload } from '../world'
import { ailPod } from './ailing'
import { makeClaims } from './claims'
import { networkRuns } from './conditions'
import { type Load, workloadOf } from './fits'
import {
  isCurrent,
  isPodOf,
  isReadyPod,
  podsOf,
  record as fields,
  templateOf,
  text,
} from './manifests'
import { gatesOf, loads, schedulePod, share } from './placing'
import { podKey, record } from './pod-events'
import { beginStart, newPod, removePod, startPod } from './pods'
import { makeWay, victimsFor } from './preempt'
import { mostAtOnce, refusedPods, waitForBatch } from './refused-pods'

/** One turn of a controller: the pods there are, and those it makes. */
class Turn {
  readonly made: Pod[] = []
  readonly pods: readonly Pod[]
  readonly spec: Readonly<Record<string, unknown>>
  /** Whether no more are made for now: they are refused, or a batch has just been made. */
  isHeld: boolean

  constructor(
    readonly sim: Sim,
    readonly cluster: Cluster,
    readonly workload: Workload,
    readonly load: Map<string, Load>,
  ) {
    this.pods = podsOf(cluster, workload)
    this.spec = fields(workload.manifest?.['spec'])
    this.isHeld = workload.batchAt !== undefined && workload.batchAt > sim.now
  }

  /** Pods that wait are tried again whenever something about the cluster has changed. */
  retryWaiting(): void {
    const { sim, cluster, workload, load } = this
    for (const pod of this.pods) {
      if (pod.node !== null || pod.phase !== 'Pending') continue
      findPlace(sim, cluster, pod, workload, load, pod.wants)
      if (pod.node !== null) beginStart(sim, cluster, workload, pod)
    }
  }

  /** Makes a pod, placed where there is room; `only` is the node it must be on. */
  make(ordinal: number, only?: string): void {
    if (this.isHeld) return
    const { sim, cluster, workload, load } = this
    if (this.made.length === mostAtOnce) {
      this.isHeld = true
      waitForBatch(sim, cluster, workload)
      return
    }
    this.isHeld = refusedPods(sim, cluster, workload)
    if (this.isHeld) return
    const pod = newPod(sim, cluster, workload, ordinal, sim.now)
    cluster.running.push(pod)
    makeClaims(cluster, workload, pod)
    findPlace(sim, cluster, pod, workload, load, only)
    this.made.push(pod)
    if (pod.node === null)
      record(sim, cluster, 'Warning', 'FailedScheduling', `pod/${podKey(pod)}`, pod.waits ?? '')
    else beginStart(sim, cluster, workload, pod)
  }

  remove(pod: Pod): void {
    removePod(this.sim, this.cluster, pod)
  }
}

/** A pod for each node that its selector takes, never a second for one that waits; old ones go one node at a time. */
function fillDaemonSet(turn: Turn): void {
  const { pods, workload, cluster } = turn
  const nodeOf = (pod: Pod): string | null => pod.node ?? pod.wants ?? null
  const covered = new Set(pods.map(nodeOf))
  const old = pods.find((pod) => !isCurrent(workload, pod))
  // The next goes once all others are ready.
  const isNext = pods.every((pod) => pod === old || !isCurrent(workload, pod) || isReadyPod(pod))
  if (old && isNext) {
    turn.remove(old)
    covered.delete(nodeOf(old))
  }
  for (const node of cluster.nodes)
    if (!covered.has(node.name) && (workload.pool === null || node.pool === workload.pool))
      turn.make(0, node.name)
}

const ordinalOf = (pod: Pod): number => Number(pod.name.slice(pod.name.lastIndexOf('-') + 1))

/** Pods by number, made from below and taken from above; true where another turn follows at once. */
function fillStatefulSet(turn: Turn): boolean {
  const { workload, spec } = turn
  const byOrdinal = new Map(turn.pods.map((pod) => [ordinalOf(pod), pod]))
  const highest = Math.max(-1, ...byOrdinal.keys())
  const extra = byOrdinal.get(highest)
  if (highest >= workload.replicas && extra) {
    turn.remove(extra)
    return highest > workload.replicas
  }
  const isOrdered = spec['podManagementPolicy'] !== 'Parallel'
  for (let i = 0; i < workload.replicas && !turn.isHeld; i++) {
    const pod = byOrdinal.get(i)
    if (!pod) turn.make(i)
    // Each waits for the one before it, as soon as it is being written to; those of the platform start together.
    if (isOrdered && workload.manifest && (!pod || !isReadyPod(pod))) break
  }
  const old = [...byOrdinal]
    .sort(([a], [b]) => b - a)
    .find(([, pod]) => !isCurrent(workload, pod))?.[1]
  const isNext =
    turn.made.length === 0 && [...byOrdinal.values()].every((pod) => pod === old || isReadyPod(pod))
  if (!old || !isNext) return false
  turn.remove(old)
  return true
}

/** As many at once as it says, until as many as it wants have ended. */
function fillJob(turn: Turn): void {
  const { pods, workload, spec } = turn
  const left = Number(spec['completions'] ?? 1) - (workload.completed ?? 0)
  const parallel = Math.min(Number(spec['parallelism'] ?? 1), left)
  const running = pods.filter((pod) => pod.phase !== 'Succeeded').length
  for (let i = running; i < parallel && !turn.isHeld; i++) turn.make(i)
}

/** How many more than wanted may be there in a rollout, and how many fewer may be ready. */
function rolloutBounds({ workload, spec }: Turn): {
  readonly recreate: boolean
  readonly surge: number
  readonly missing: number
} {
  const wanted = workload.replicas
  const strategy = fields(spec['strategy'])
  if (strategy['type'] === 'Recreate') return { recreate: true, surge: 0, missing: wanted }
  const rolling = fields(strategy['rollingUpdate'])
  const surge = share(rolling['maxSurge'], wanted, '25%', Math.ceil)
  const missing = share(rolling['maxUnavailable'], wanted, '25%', Math.floor)
  // Where neither is allowed nothing would ever move.
  return { recreate: false, surge, missing: Math.max(missing, surge === 0 ? 1 : 0) }
}

/** A pod goes, and what it took of its node is free again for those made in this turn. */
function letGo({ sim, cluster, workload, load }: Turn, pod: Pod): void {
  removePod(sim, cluster, pod)
  workload.progressedAt = sim.now
  const here = pod.node === null ? undefined : load.get(pod.node)
  if (!here) return
  here.cpuMilli -= pod.cpuMilli
  here.memoryBytes -= pod.memoryBytes
  here.gpus -= pod.gpus
  here.pods--
}

/** Those of more pods than are wanted that go: what waits or starts first, then the youngest. */
const surplusOf = (pods: readonly Pod[], wanted: number): readonly Pod[] =>
  [...pods]
    .sort((a, b) => Number(isReadyPod(a)) - Number(isReadyPod(b)) || b.createdAt - a.createdAt)
    .slice(0, Math.max(0, pods.length - wanted))

/** Replicas of one template; in a rollout old ones go as new ones get ready, within the bounds of its strategy. */
function fillDeployment(turn: Turn): void {
  const { pods, workload } = turn
  const wanted = workload.replicas
  const { recreate, surge, missing } = rolloutBounds(turn)
  const current = pods.filter((pod) => isCurrent(workload, pod))
  const old = pods.filter((pod) => !isCurrent(workload, pod))
  const surplus = surplusOf(current, wanted)
  const atOnce = old.filter((pod) => recreate || !isReadyPod(pod))
  const gone = [...surplus, ...atOnce]
  for (const pod of gone) letGo(turn, pod)
  const ready = pods.filter((pod) => isReadyPod(pod) && !gone.includes(pod)).length
  const kept = old.filter((pod) => !atOnce.includes(pod))
  const leaving = kept.slice(0, Math.max(0, ready - (wanted - missing)))
  for (const pod of leaving) letGo(turn, pod)
  const now = Math.min(current.length, wanted)
  const upTo = Math.min(wanted, wanted + surge - (kept.length - leaving.length))
  for (let i = now; i < upTo && !turn.isHeld; i++) turn.make(i)
}

/** As many as it says, whatever template they were made from: what is there is not made anew. */
function fillReplicaSet(turn: Turn): void {
  const { pods, workload } = turn
  for (const pod of surplusOf(pods, workload.replicas)) letGo(turn, pod)
  for (let i = pods.length; i < workload.replicas && !turn.isHeld; i++) turn.make(i)
}

/** A pod that nobody keeps is made once; when it is gone, it is gone. */
function makeOnce(turn: Turn): void {
  const { pods, workload, cluster, spec } = turn
  if (pods.length > 0) return
  if (workload.isMade) {
    cluster.workloads = cluster.workloads.filter((each) => each !== workload)
    return
  }
  turn.make(0, text(spec['nodeName']) || undefined)
  if (turn.made.length > 0) workload.isMade = true
}

/** One turn for a workload; whether another follows at once. */
function takeTurn(turn: Turn): boolean {
  switch (turn.workload.kind) {
    case 'DaemonSet':
      fillDaemonSet(turn)
      return false
    case 'StatefulSet':
      return fillStatefulSet(turn)
    case 'Job':
      fillJob(turn)
      return false
    case 'Deployment':
      fillDeployment(turn)
      return false
    case 'ReplicaSet':
      fillReplicaSet(turn)
      return false
    case 'Pod':
      makeOnce(turn)
      return false
    // Its jobs are made by the clock.
    case 'CronJob':
      return false
  }
}

/** Makes and removes pods as the workload’s kind has it; placed ones begin to start. Called whenever something about it has changed. */
export function fillWorkload(
  sim: Sim,
  cluster: Cluster,
  workload: Workload,
  load: Map<string, Load>,
): readonly Pod[] {
  const turn = new Turn(sim, cluster, workload, load)
  turn.retryWaiting()
  const again = takeTurn(turn)
  sim.touchCluster(cluster.name)
  return again ? [...turn.made, ...fillWorkload(sim, cluster, workload, load)] : turn.made
}

/** The controllers of pods that are gone, or that wait, take their next step. */
export function refill(sim: Sim, cluster: Cluster, pods: readonly Pod[]): void {
  const load = loads(cluster)
  for (const workload of cluster.workloads)
    if (pods.some((pod) => isPodOf(pod, workload))) fillWorkload(sim, cluster, workload, load)
}

/** The event at the end of a pod’s start: image pulled, containers ready; its controller takes its next step. */
export function podRuns(sim: Sim, clusterName: string, key: string): void {
  const cluster = sim.cluster(clusterName)
  const pod = cluster?.running.find((pod) => podKey(pod) === key)
  if (!cluster || !pod || pod.phase !== 'Pending' || pod.node === null) return
  startPod(cluster, pod, sim.now)
  delete pod.trouble
  record(sim, cluster, 'Normal', 'Started', `pod/${key}`, `started on ${pod.node}`)
  const workload = workloadOf(cluster, pod)
  if (!workload) return
  if (workload.name === 'pod-network') networkRuns(sim, cluster, pod.node)
  ailPod(sim, cluster, workload, pod)
  workload.progressedAt = sim.now
  if (worksToAnEnd(workload))
    sim.schedule(sim.takes(`${clusterName}/${key}/run`, runSeconds(workload)), {
      kind: 'pod-ends',
      cluster: clusterName,
      pod: key,
    })
  else if (workload.manifest) fillWorkload(sim, cluster, workload, loads(cluster))
}

/** Whether the pods of a workload do something and end, and are not started anew then. */
const worksToAnEnd = (workload: Workload): boolean =>
  workload.kind === 'Job' ||
  (workload.kind === 'Pod' &&
    ['Never', 'OnFailure'].includes(text(fields(workload.manifest?.['spec'])['restartPolicy'])))

/** How long a job’s pod works: as its annotation says, else two minutes. */
function runSeconds(workload: Workload): number {
  const said = Number(
    fields(fields(templateOf(workload)['metadata'])['annotations'])['gyrarch/run-seconds'],
  )
  return Number.isFinite(said) && said > 0 ? said : 120
}

/** A job’s pod has done its work. */
export function podEnds(sim: Sim, clusterName: string, key: string): void {
  const cluster = sim.cluster(clusterName)
  const pod = cluster?.running.find((pod) => podKey(pod) === key)
  const workload = cluster && pod ? workloadOf(cluster, pod) : undefined
  if (!cluster || !pod || !workload || pod.phase !== 'Running') return
  pod.phase = 'Succeeded'
  workload.completed = (workload.completed ?? 0) + 1
  const wanted = Number(fields(workload.manifest?.['spec'])['completions'] ?? 1)
  if (workload.kind === 'Job' && workload.completed >= wanted) workload.endedAt ??= sim.now
  record(sim, cluster, 'Normal', 'Completed', `pod/${key}`, 'exit 0')
  fillWorkload(sim, cluster, workload, loads(cluster))
}

/** Places a pod, at the cost of less important ones where it must be; shrunk controllers make them anew, elsewhere if they can. */
export function findPlace(
  sim: Sim,
  cluster: Cluster,
  pod: Pod,
  workload: Workload,
  load: Map<string, Load>,
  only?: string,
): void {
  schedulePod(cluster, pod, workload, load, only)
  const way =
    pod.node === null && only === undefined && gatesOf(workload, pod).length === 0
      ? victimsFor(cluster, pod, workload, load)
      : null
  if (!way) return
  makeWay(sim, cluster, way, load)
  for (const victim of way.victims)
    record(
      sim,
      cluster,
      'Warning',
      'Preempted',
      `pod/${podKey(victim)}`,
      `made way for ${podKey(pod)} on ${way.node.name}`,
    )
  schedulePod(cluster, pod, workload, load, way.node.name)
  delete pod.wants
  const others = new Set(way.victims.map((victim) => workloadOf(cluster, victim)))
  for (const shrunk of others)
    if (shrunk && shrunk !== workload) fillWorkload(sim, cluster, shrunk, load)
}
