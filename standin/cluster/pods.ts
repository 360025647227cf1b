/** Scheduling and starting of pods, as far as provisioning needs it: room, taints, pools. */
import { formatAddress, parseCidr } from '../../core/addresses'
import { uniform } from '../engine/random'
import type { Sim } from '../engine/sim'
import type { Cluster, Node, Pod, Workload } from '../world'
import { type Load, workloadOf } from './fits'
import {
  currentHash,
  isCurrent,
  isReadyPod,
  list,
  podsOf,
  record as record_,
  templateOf,
  text,
} from './manifests'
import { gatesOf, loads, schedulePod, share } from './placing'
import { ailPod } from './ailing'
import { networkRuns } from './conditions'
import { podKey, record } from './pod-events'
import { heldBack, notPulled, type NotPulled, pullText } from './pulling'
import { mostAtOnce, refusedPods, waitForBatch } from './refused-pods'
import { victimsFor, makeWay } from './preempt'
import { makeClaims } from './claims'
import { bindFor, isVolumeHeld } from './volumes'

/** The address of the n-th pod on a node: inside the node’s block of the pod range. */
function podAddress(cluster: Cluster, node: Node, n: number): string | null {
  const range = parseCidr(cluster.pods)
  if (!range.ok) return null
  let block = 1n
  while (block < 2n * BigInt(cluster.maxPodsPerNode)) block *= 2n
  return formatAddress({
    family: range.value.family,
    value: range.value.first + BigInt(node.block) * block + 2n + (BigInt(n) % (block - 3n)),
  })
}

/** Starts a placed pod, with the given number on its node or else the first whose address is free. */
export function startPod(cluster: Cluster, pod: Pod, at: number, numbered?: number): void {
  const node = cluster.nodes.find((node) => node.name === pod.node)
  if (!node) return
  let n = numbered ?? 0
  let ip = podAddress(cluster, node, n)
  if (numbered === undefined) {
    const taken = new Set(
      cluster.running
        .filter((otherPod) => otherPod.node === node.name)
        .map((otherPod) => otherPod.ip),
    )
    while (taken.has(ip)) ip = podAddress(cluster, node, ++n)
  }
  pod.ip = ip
  pod.phase = 'Running'
  pod.startedAt = at
  const workload = workloadOf(cluster, pod)
  if (workload) workload.ranFrom ??= at
}

/** A pod of a workload; a stateful one by its ordinal, a daemon’s by its node, any other by a drawn suffix. */
export function newPod(
  sim: { readonly world: { readonly seed: number } },
  cluster: Cluster,
  workload: Workload,
  ordinal: number,
  at: number,
): Pod {
  const n = cluster.nextName++
  const drawn = Math.floor(
    uniform(sim.world.seed, `${cluster.name}/${workload.name}/${n}`) * 36 ** 5,
  )
    .toString(36)
    .padStart(5, '0')
  const name =
    workload.kind === 'StatefulSet' ? `${workload.name}-${ordinal}` : `${workload.name}-${drawn}`
  const hash = currentHash(workload)
  return {
    namespace: workload.namespace,
    name,
    workload: workload.name,
    node: null,
    phase: 'Pending',
    ...(hash === undefined ? {} : { hash }),
    waits: null,
    ip: null,
    cpuMilli: workload.cpuMilli,
    memoryBytes: workload.memoryBytes,
    gpus: workload.gpus,
    createdAt: at,
    startedAt: null,
  }
}

/** Seconds a placed pod takes until it is ready: image, containers, and the delay of its readiness probe. */
function startTakes(workload: Workload): number {
  const spec = record_(templateOf(workload, currentHash(workload))['spec'])
  const probes = list(spec['containers']).map((container) =>
    Number(record_(record_(container)['readinessProbe'])['initialDelaySeconds'] ?? 0),
  )
  return 14 + Math.max(0, ...probes.filter((delay) => Number.isFinite(delay)))
}

/** Why the images of a pod cannot be pulled: the first that its registry does not have, or a registry out of reach. */
function unpulled(
  sim: Sim,
  cluster: Cluster,
  workload: Workload,
  pod: Pod,
): (NotPulled & { readonly image: string }) | null {
  const node = cluster.nodes.find((node) => node.name === pod.node)
  for (const container of list(record_(templateOf(workload, pod.hash)['spec'])['containers'])) {
    const image = text(record_(container)['image'])
    const failure =
      notPulled(sim, cluster, image, {
        address: node?.address ?? null,
        namespace: pod.namespace,
      }) ?? heldBack(sim.world, cluster, pod.namespace, image)
    if (failure) return { image, ...failure }
  }
  return null
}

/** What becomes of a pod that has a place: it runs after a while, or its image cannot be pulled. */
export function beginStart(sim: Sim, cluster: Cluster, workload: Workload, pod: Pod): void {
  bindFor(sim, cluster, workload, pod)
  if (isVolumeHeld(sim, cluster, workload, pod)) return
  if (unpulled(sim, cluster, workload, pod) !== null)
    sim.schedule(sim.takes(`${cluster.name}/${podKey(pod)}/pull`, 6), {
      kind: 'pod-fails',
      cluster: cluster.name,
      pod: podKey(pod),
    })
  else
    sim.schedule(sim.takes(`${cluster.name}/${podKey(pod)}/start`, startTakes(workload)), {
      kind: 'pod-runs',
      cluster: cluster.name,
      pod: podKey(pod),
    })
}

/** How long until an image whose registry is out of reach is tried again (ms). */
const pullAgainMs = 60_000

/** A pod whose image cannot be pulled: it stays pending on its node and is tried again. */
export function podFails(sim: Sim, clusterName: string, key: string): void {
  const cluster = sim.cluster(clusterName)
  const pod = cluster?.running.find((pod) => podKey(pod) === key)
  const workload = cluster && pod ? workloadOf(cluster, pod) : undefined
  if (!cluster || !pod || !workload || pod.phase !== 'Pending') return
  const missing = unpulled(sim, cluster, workload, pod)
  if (missing === null) {
    beginStart(sim, cluster, workload, pod)
    return
  }
  const again = pod.trouble !== undefined
  pod.trouble = {
    reason: again ? 'ImagePullBackOff' : 'ErrImagePull',
    message: `${missing.image}: ${missing.why}`,
    ...(missing.isDenied === true ? { denied: missing.image } : {}),
  }
  if (!again)
    record(
      sim,
      cluster,
      'Warning',
      'Failed',
      `pod/${key}`,
      `Failed to pull image "${missing.image}": ${pullText(missing)}`,
    )
  sim.touch(`cluster:${cluster.name}`)
  if (!again || missing.isThere)
    sim.schedule(again ? pullAgainMs : 20_000, {
      kind: 'pod-fails',
      cluster: clusterName,
      pod: key,
    })
}

/** Takes a pod away for good; its controller sees that it is gone. */
export function removePod(sim: Sim, cluster: Cluster, pod: Pod): void {
  cluster.running = cluster.running.filter((otherPod) => otherPod !== pod)
  sim.touch(`cluster:${cluster.name}`)
}

/** Makes and removes pods as the workload’s kind has it, one turn; placed ones begin to start. Called whenever something about it has changed. */
export function fillWorkload(
  sim: Sim,
  cluster: Cluster,
  workload: Workload,
  load: Map<string, Load>,
): readonly Pod[] {
  const pods = podsOf(cluster, workload)
  const made: Pod[] = []
  /** Whether no more are made for now: they are refused, or a batch has just been made. */
  let isHeld = workload.batchAt !== undefined && workload.batchAt > sim.now
  const make = (ordinal: number, only?: string): void => {
    if (isHeld) return
    if (made.length === mostAtOnce) {
      isHeld = true
      waitForBatch(sim, cluster, workload)
      return
    }
    isHeld = refusedPods(sim, cluster, workload)
    if (isHeld) return
    const pod = newPod(sim, cluster, workload, ordinal, sim.now)
    cluster.running.push(pod)
    makeClaims(cluster, workload, pod)
    findPlace(sim, cluster, pod, workload, load, only)
    made.push(pod)
    if (pod.node === null)
      record(sim, cluster, 'Warning', 'FailedScheduling', `pod/${podKey(pod)}`, pod.waits ?? '')
    else beginStart(sim, cluster, workload, pod)
  }
  const spec = record_(workload.manifest?.['spec'])
  // Pods that wait are tried again whenever something about the cluster has changed.
  for (const pod of pods) {
    if (pod.node !== null || pod.phase !== 'Pending') continue
    findPlace(sim, cluster, pod, workload, load, pod.wants)
    if (pod.node !== null) beginStart(sim, cluster, workload, pod)
  }
  switch (workload.kind) {
    case 'DaemonSet': {
      const covered = new Set(pods.map((pod) => pod.node ?? pod.wants ?? null))
      const old = pods.find((pod) => !isCurrent(workload, pod))
      // One node at a time: the next goes once all others are ready.
      if (old && pods.every((pod) => pod === old || !isCurrent(workload, pod) || isReadyPod(pod))) {
        removePod(sim, cluster, old)
        covered.delete(old.node ?? old.wants ?? null)
      }
      // Its controller makes pods only for nodes that its selector takes, and never a second for one that waits.
      for (const node of cluster.nodes)
        if (!covered.has(node.name) && (workload.pool === null || node.pool === workload.pool))
          make(0, node.name)
      break
    }
    case 'StatefulSet': {
      const byOrdinal = new Map(
        pods.map((pod) => [Number(pod.name.slice(pod.name.lastIndexOf('-') + 1)), pod]),
      )
      const ordered = spec['podManagementPolicy'] !== 'Parallel'
      const highest = Math.max(-1, ...byOrdinal.keys())
      const extra = byOrdinal.get(highest)
      if (highest >= workload.replicas && extra) {
        removePod(sim, cluster, extra)
        if (highest > workload.replicas)
          return [...made, ...fillWorkload(sim, cluster, workload, load)]
        break
      }
      for (let i = 0; i < workload.replicas && !isHeld; i++) {
        const pod = byOrdinal.get(i)
        if (!pod) make(i)
        // Each waits for the one before it, as soon as it is being written to; those of the platform start together.
        if (ordered && workload.manifest && (!pod || !isReadyPod(pod))) break
      }
      const old = [...byOrdinal]
        .sort(([a], [b]) => b - a)
        .find(([, pod]) => !isCurrent(workload, pod))?.[1]
      if (
        old &&
        made.length === 0 &&
        [...byOrdinal.values()].every((pod) => pod === old || isReadyPod(pod))
      ) {
        removePod(sim, cluster, old)
        return fillWorkload(sim, cluster, workload, load)
      }
      break
    }
    case 'Job': {
      const done = workload.completed ?? 0
      const completions = Number(spec['completions'] ?? 1)
      const running = pods.filter((pod) => pod.phase !== 'Succeeded').length
      const parallel = Math.min(Number(spec['parallelism'] ?? 1), completions - done)
      for (let i = running; i < parallel && !isHeld; i++) make(i)
      break
    }
    case 'CronJob':
      break
    case 'Deployment': {
      const current = pods.filter((pod) => isCurrent(workload, pod))
      const old = pods.filter((pod) => !isCurrent(workload, pod))
      const strategy = record_(spec['strategy'])
      const recreate = strategy['type'] === 'Recreate'
      const rolling = record_(strategy['rollingUpdate'])
      const wanted = workload.replicas
      const surge = recreate ? 0 : share(rolling['maxSurge'], wanted, '25%', Math.ceil)
      const missing = recreate
        ? wanted
        : Math.max(share(rolling['maxUnavailable'], wanted, '25%', Math.floor), surge === 0 ? 1 : 0)
      let ready = pods.filter(isReadyPod).length
      const goes = (pod: Pod): void => {
        if (isReadyPod(pod)) ready--
        removePod(sim, cluster, pod)
        workload.progressedAt = sim.now
        const here = pod.node === null ? undefined : load.get(pod.node)
        if (!here) return
        here.cpuMilli -= pod.cpuMilli
        here.memoryBytes -= pod.memoryBytes
        here.gpus -= pod.gpus
        here.pods--
      }
      // Too many of the new ones: those that wait or start go first.
      for (const pod of [...current]
        .sort((a, b) => Number(isReadyPod(a)) - Number(isReadyPod(b)) || b.createdAt - a.createdAt)
        .slice(0, Math.max(0, current.length - wanted)))
        goes(pod)
      const kept = old.filter((pod) => {
        if (recreate || !isReadyPod(pod)) {
          goes(pod)
          return false
        }
        return true
      })
      const spare = Math.max(0, ready - (wanted - missing))
      const leave = kept.slice(0, spare)
      for (const pod of leave) goes(pod)
      const left = kept.length - leave.length
      const now = Math.min(current.length, wanted)
      const upTo = Math.min(wanted, wanted + surge - left)
      for (let i = now; i < upTo && !isHeld; i++) make(i)
      break
    }
  }
  sim.touch(`cluster:${cluster.name}`)
  return made
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
  if (workload.kind === 'Job')
    sim.schedule(sim.takes(`${clusterName}/${key}/run`, runSeconds(workload)), {
      kind: 'pod-ends',
      cluster: clusterName,
      pod: key,
    })
  else if (workload.manifest) fillWorkload(sim, cluster, workload, loads(cluster))
}

/** How long a job’s pod works: as its annotation says, else two minutes. */
function runSeconds(workload: Workload): number {
  const said = Number(
    record_(record_(templateOf(workload)['metadata'])['annotations'])['gyrarch/run-seconds'],
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
