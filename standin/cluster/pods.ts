/** Scheduling and starting of pods, as far as provisioning needs it: room, taints, pools. */
import { formatAddress, parseCidr } from '../../core/addresses'
import { uniform } from '../engine/random'
import type { Sim } from '../engine/sim'
import type { Cluster, Node, Pod, Workload } from '../world'
import { workloadOf } from './fits'
import { currentHash, list, record as record_, templateOf, text } from './manifests'
import { podKey, record } from './pod-events'
import { heldBack, notPulled, type NotPulled, pullText } from './pulling'
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
    // Without a range there is no address to look for.
    while (ip !== null && taken.has(ip)) ip = podAddress(cluster, node, ++n)
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
  const names: Partial<Record<Workload['kind'], string>> = {
    StatefulSet: `${workload.name}-${ordinal}`,
    Pod: workload.name,
  }
  const hash = currentHash(workload)
  return {
    namespace: workload.namespace,
    name: names[workload.kind] ?? `${workload.name}-${drawn}`,
    workload: workload.name,
    workloadKind: workload.kind,
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
  sim.touchCluster(cluster.name)
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
  sim.touchCluster(cluster.name)
}
