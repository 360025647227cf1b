/** What a machine that runs can suffer from: its runtime, its agent, its clock, its certificate, its disk, its memory. */
import { setCondition, setReady } from '../cluster/conditions'
import { refill } from '../cluster/controllers'
import { workloadOf } from '../cluster/fits'
import { podKey, record } from '../cluster/pod-events'
import type { Sim } from '../engine/sim'
import type { Ailment, FaultKind, Machine, Site } from '../world'
import { evictMs, heardAgain, nodeOn, unheardFrom } from './power'

const byFault: Partial<Record<FaultKind, Ailment>> = {
  'runtime-dies': 'runtime',
  'agent-stops': 'agent',
  'clock-drifts': 'clock',
  'host-certificate-ends': 'certificate',
  'disk-fills': 'disk',
  'memory-fills': 'memory',
}

export const ailmentOf = (fault: FaultKind): Ailment | undefined => byFault[fault]

const pressures = {
  disk: {
    type: 'DiskPressure',
    taint: 'node.kubernetes.io/disk-pressure',
    reason: 'KubeletHasDiskPressure',
    message: 'kubelet has disk pressure',
    calm: 'KubeletHasNoDiskPressure',
    low: 'ephemeral-storage',
    told: [
      'FreeDiskSpaceFailed',
      'Failed to garbage collect required amount of images. Attempted to free 4294967296 bytes, but only found 0 bytes eligible to free.',
    ],
  },
  memory: {
    type: 'MemoryPressure',
    taint: 'node.kubernetes.io/memory-pressure',
    reason: 'KubeletHasInsufficientMemory',
    message: 'kubelet has insufficient memory available',
    calm: 'KubeletHasSufficientMemory',
    low: 'memory',
    told: ['SystemOOM', 'System OOM encountered, victim process: lantern, pid: 20417'],
  },
} as const

/** Pods that an agent short of something ends: the largest that no controller wants on every node. */
const mostEvicted = 2

function strain(sim: Sim, machine: Machine, what: 'disk' | 'memory'): void {
  const on = nodeOn(sim, machine)
  if (!on) return
  const { cluster, node } = on
  const of = pressures[what]
  setCondition(
    node,
    { type: of.type, status: 'True', reason: of.reason, message: of.message },
    sim.now,
  )
  node.taints = [...node.taints, { key: of.taint, value: '', effect: 'NoSchedule' }]
  const about = `node/${node.name}`
  record(sim, cluster, 'Warning', of.told[0], about, of.told[1])
  record(sim, cluster, 'Warning', 'EvictionThresholdMet', about, `Attempting to reclaim ${of.low}`)
  const leaves: readonly string[] = ['Deployment', 'ReplicaSet', 'Pod']
  const evicted = cluster.running
    .filter(
      (pod) => pod.node === node.name && leaves.includes(workloadOf(cluster, pod)?.kind ?? ''),
    )
    .toSorted((a, b) => b.memoryBytes - a.memoryBytes)
    .slice(0, mostEvicted)
  cluster.running = cluster.running.filter((pod) => !evicted.includes(pod))
  for (const pod of evicted)
    record(
      sim,
      cluster,
      'Warning',
      'Evicted',
      `pod/${podKey(pod)}`,
      `The node was low on resource: ${of.low}.`,
    )
  refill(sim, cluster, evicted)
}

function relieve(sim: Sim, machine: Machine, what: 'disk' | 'memory'): void {
  const on = nodeOn(sim, machine)
  if (!on) return
  const of = pressures[what]
  setCondition(
    on.node,
    {
      type: of.type,
      status: 'False',
      reason: of.calm,
      message: `kubelet has no ${of.low} pressure`,
    },
    sim.now,
  )
  on.node.taints = on.node.taints.filter(({ key }) => key !== of.taint)
}

/** The runtime of a machine is gone: its node is not ready at once, and what runs there is not looked after. */
function runtimeGone(sim: Sim, site: Site, machine: Machine): void {
  const on = nodeOn(sim, machine)
  if (!on) return
  setReady(
    on.node,
    'False',
    'KubeletNotReady',
    '[container runtime is down, PLEG is not healthy: pleg was last seen active 3m2.4s ago; threshold is 3m0s]',
    sim.now,
  )
  const about = `node/${on.node.name}`
  record(
    sim,
    on.cluster,
    'Normal',
    'NodeNotReady',
    about,
    `Node ${on.node.name} status is now: NodeNotReady`,
  )
  sim.schedule(evictMs, { kind: 'power', site: site.name, machine: machine.name, what: 'evict' })
}

/** A machine begins to suffer from something. */
export function ail(sim: Sim, site: Site, machine: Machine, ailment: Ailment): void {
  if (machine.ailments?.[ailment] !== undefined) return
  machine.ailments = { ...machine.ailments, [ailment]: sim.now }
  if (ailment === 'disk' || ailment === 'memory') strain(sim, machine, ailment)
  else if (ailment === 'runtime') runtimeGone(sim, site, machine)
  else unheardFrom(sim, site, machine)
  if (machine.cluster) sim.touchCluster(machine.cluster)
}

function without(machine: Machine, ailment: Ailment): void {
  const { [ailment]: _gone, ...left } = machine.ailments ?? {}
  if (Object.keys(left).length === 0) delete machine.ailments
  else machine.ailments = left
}

/** One thing is over. */
export function recover(sim: Sim, machine: Machine, ailment: Ailment): void {
  if (machine.ailments?.[ailment] === undefined) return
  without(machine, ailment)
  if (ailment === 'disk' || ailment === 'memory') relieve(sim, machine, ailment)
  else if (machine.power === 'on') {
    delete machine.offSince
    heardAgain(sim, machine)
  }
  if (machine.cluster) sim.touchCluster(machine.cluster)
}

/** What a start from the power on does away with: a full disk and an ended certificate are still there afterwards. */
const mendedByStart = ['runtime', 'agent', 'clock', 'memory'] as const

/** A machine has been started again: what that does away with is over, with the fault that brought it. */
export function startedAgain(sim: Sim, site: Site, machine: Machine): void {
  const about = `machine/${site.name}/${machine.name}`
  for (const ailment of mendedByStart) {
    if (machine.ailments?.[ailment] === undefined) continue
    sim.world.faults = sim.world.faults.filter(
      (fault) => fault.about !== about || ailmentOf(fault.kind) !== ailment,
    )
    without(machine, ailment)
    if (ailment === 'memory') relieve(sim, machine, ailment)
  }
}
