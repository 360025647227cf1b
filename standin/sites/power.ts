/**
 * Machines that lose their power and get it back, and what follows by itself: heartbeats stop, a node is unknown after
 * 50 s, its pods are evicted 300 s later; machines of a dead host restart on the first host of their zone with room.
 */
import type { Sim } from '../engine/sim'
import { fillWorkload, refill } from '../cluster/controllers'
import { workloadOf } from '../cluster/fits'
import { record } from '../cluster/pod-events'
import { loads } from '../cluster/placing'
import { networkLost, setReady } from '../cluster/conditions'
import { reachesApi } from '../traffic/flows'
import type { Cluster, Host, Machine, Node, Pod, Site } from '../world'
import { settleStorage } from '../storage/settle'
import { countText } from '../../core/units'

const unheardMs = 50_000
export const evictMs = 300_000
const failoverMs = 90_000
const restartMs = 120_000

export const machineAt = (
  sim: Sim,
  siteName: string,
  name: string,
): { site: Site; machine: Machine } | undefined => {
  const site = sim.site(siteName)
  const machine = site?.machines.find((machine) => machine.name === name)
  return site && machine ? { site, machine } : undefined
}

/** The node that a machine carries, if any. */
export function nodeOn(sim: Sim, machine: Machine): { cluster: Cluster; node: Node } | undefined {
  const cluster = sim.cluster(machine.cluster)
  const node = cluster?.nodes.find((node) => node.machine === machine.name)
  return cluster && node ? { cluster, node } : undefined
}

/** Whether the status that an agent posts arrives, and is taken. */
const isHeard = ({ power, cutOff, tooOld, ailments = {} }: Machine): boolean =>
  power === 'on' &&
  cutOff !== true &&
  tooOld !== true &&
  Object.keys(ailments).every((ailment) => ailment === 'disk' || ailment === 'memory')

/** From now on nothing is heard of a machine’s agent; after a while its node is not known any more. */
export function unheardFrom(sim: Sim, site: Site, machine: Machine): void {
  machine.offSince = sim.now
  sim.schedule(unheardMs, {
    kind: 'power',
    site: site.name,
    machine: machine.name,
    what: 'unheard',
  })
}

/** Looks whether the agents of a site’s nodes still reach their API; those that do not fall silent, those that do again speak up. */
export function watchAgents(sim: Sim, site: Site): void {
  for (const machine of site.machines) {
    const on = nodeOn(sim, machine)
    if (!on?.cluster.managed) continue
    const reaches = reachesApi(sim, on.cluster, on.node)
    if (!reaches && machine.cutOff !== true && machine.power === 'on') {
      machine.cutOff = true
      unheardFrom(sim, site, machine)
    } else if (reaches && machine.cutOff === true) {
      delete machine.cutOff
      if (machine.power !== 'on') continue
      delete machine.offSince
      heardAgain(sim, machine)
    }
  }
}

/** Takes the power away: nobody is told, the heartbeats just stop. */
export function powerLost(sim: Sim, site: Site, machine: Machine): void {
  if (machine.power === 'off') return
  machine.power = 'off'
  machine.agent = false
  machine.offSince = sim.now
  sim.touchSite(site.name)
  if (machine.cluster) sim.touchCluster(machine.cluster)
  sim.schedule(unheardMs, {
    kind: 'power',
    site: site.name,
    machine: machine.name,
    what: 'unheard',
  })
}

/** The first host of a zone, as listed, that takes the machine: the hall’s own rule after a loss. */
export function firstHost(site: Site, machine: Machine): Host | undefined {
  return site.hosts.find((host) => {
    if (host.zone !== machine.zone || (host.service ?? 'in') !== 'in') return false
    const on = site.machines.filter(
      (otherMachine) => otherMachine.host === host.name && otherMachine !== machine,
    )
    const cores = on.reduce((sum, otherMachine) => sum + otherMachine.cores, machine.cores)
    const memory = on.reduce(
      (sum, otherMachine) => sum + otherMachine.memoryBytes,
      machine.memoryBytes,
    )
    return cores <= host.cores * site.overcommit && memory <= host.memoryBytes
  })
}

/** A host stops with everything on it; its machines follow the hall’s rule, in order of their names. */
export function hostDies(sim: Sim, site: Site, host: Host): void {
  host.service = 'dead'
  const lost = site.machines
    .filter((machine) => machine.host === host.name)
    .sort((a, b) => (a.name < b.name ? -1 : 1))
  lost.forEach((machine, i) => {
    powerLost(sim, site, machine)
    sim.schedule(failoverMs + i * 1000, {
      kind: 'power',
      site: site.name,
      machine: machine.name,
      what: 'failover',
    })
  })
  sim.touchSite(site.name)
}

const shutdownTaint = 'node.cloudprovider.kubernetes.io/shutdown'

function shutDown(node: Node, isOff: boolean): void {
  const rest = node.taints.filter(({ key }) => key !== shutdownTaint)
  node.taints = isOff ? [...rest, { key: shutdownTaint, value: '', effect: 'NoSchedule' }] : rest
}

/** The node of a machine that runs again posts its status. */
export function heardAgain(sim: Sim, machine: Machine): void {
  const on = nodeOn(sim, machine)
  if (!on || !isHeard(machine)) return
  shutDown(on.node, false)
  const was = on.node.conditions.find((condition) => condition.type === 'Ready')
  if (was?.status === 'True') return
  if (on.node.lacksNetwork === true) {
    networkLost(on.node, sim.now)
    return
  }
  setReady(on.node, 'True', 'KubeletReady', 'kubelet is posting ready status', sim.now)
  record(
    sim,
    on.cluster,
    'Normal',
    'NodeReady',
    `node/${on.node.name}`,
    `Node ${on.node.name} status is now: NodeReady`,
  )
  settleStorage(sim, on.cluster)
  const load = loads(on.cluster)
  for (const workload of on.cluster.workloads) fillWorkload(sim, on.cluster, workload, load)
}

/** How long before it goes a spot machine is told (ms). */
const noticeMs = 120_000

/** A cloud wants a spot machine back: its node takes nothing new, and in two minutes it is gone. */
export function spotNotice(sim: Sim, site: Site, machine: Machine): void {
  const on = nodeOn(sim, machine)
  if (on) {
    on.node.cordoned = true
    record(
      sim,
      on.cluster,
      'Warning',
      'SpotTakenBack',
      `node/${on.node.name}`,
      'its cloud takes it back in 2 min',
    )
  }
  sim.schedule(noticeMs, { kind: 'power', site: site.name, machine: machine.name, what: 'taken' })
}

/** The machine is gone with its disk and its address; what ran on it is made anew elsewhere. */
function takenBack(sim: Sim, site: Site, machine: Machine): void {
  const on = nodeOn(sim, machine)
  site.machines = site.machines.filter((otherMachine) => otherMachine !== machine)
  site.disks = site.disks.filter((disk) => disk.machine !== machine.name)
  site.addresses = site.addresses.filter((held) => held.for !== machine.name)
  sim.world.faults = sim.world.faults.filter(
    (fault) =>
      !(fault.kind === 'spot-taken' && fault.about === `machine/${site.name}/${machine.name}`),
  )
  sim.touchSite(site.name)
  if (!on) return
  const { cluster, node } = on
  const gone = cluster.running.filter((pod) => pod.node === node.name)
  cluster.running = cluster.running.filter((pod) => !gone.includes(pod))
  cluster.nodes = cluster.nodes.filter((otherNode) => otherNode !== node)
  record(
    sim,
    cluster,
    'Warning',
    'NodeGone',
    `node/${node.name}`,
    `taken back by its cloud; ${countText(gone.length, 'pod')} ended`,
  )
  refill(sim, cluster, gone)
}

/** A machine of a site and the node it is, where it is one. */
interface Powered {
  readonly sim: Sim
  readonly site: Site
  readonly machine: Machine
  readonly on: ReturnType<typeof nodeOn>
}

/** Nobody hears the node any more: its cluster says so, and waits before it evicts. */
function goneUnheard({ sim, site, machine, on }: Powered): void {
  if (isHeard(machine) || !on) return
  const { cluster, node } = on
  setReady(node, 'Unknown', 'NodeStatusUnknown', 'Kubelet stopped posting node status.', sim.now)
  // Whoever owns the machines tells the cluster that this one is off.
  if (machine.power === 'off') shutDown(node, true)
  record(
    sim,
    cluster,
    'Normal',
    'NodeNotReady',
    `node/${node.name}`,
    `Node ${node.name} status is now: NodeNotReady`,
  )
  settleStorage(sim, cluster)
  sim.schedule(evictMs, { kind: 'power', site: site.name, machine: machine.name, what: 'evict' })
}

/** Where no node is heard at all, it is the way that is broken: nothing is evicted. */
const isAllUnheard = (cluster: Cluster): boolean =>
  cluster.nodes.every((node) =>
    node.conditions.some(({ type, status }) => type === 'Ready' && status !== 'True'),
  )

/** What is made anew elsewhere leaves a node that is not heard; daemons and stateful pods stay. */
function evictUnheard({ sim, machine, on }: Powered): void {
  if (!on || isHeard(machine) || isAllUnheard(on.cluster)) return
  const { cluster, node } = on
  const isStaying = (pod: Pod): boolean =>
    ['DaemonSet', 'StatefulSet'].includes(workloadOf(cluster, pod)?.kind ?? '')
  const gone = cluster.running.filter((pod) => pod.node === node.name && !isStaying(pod))
  if (gone.length === 0) return
  cluster.running = cluster.running.filter((pod) => !gone.includes(pod))
  record(
    sim,
    cluster,
    'Warning',
    'PodsEvicted',
    `node/${node.name}`,
    `${countText(gone.length, 'pod')} evicted`,
  )
  refill(sim, cluster, gone)
}

/** A machine of a dead host starts on another. Without room it waits; a host that comes back or room that is made lets it start. */
function failOver({ sim, site, machine }: Powered): void {
  const host = site.hosts.find((candidate) => candidate.name === machine.host)
  if (machine.power !== 'off' || host?.service !== 'dead') return
  const event = { kind: 'power', site: site.name, machine: machine.name } as const
  const target = firstHost(site, machine)
  if (!target) {
    sim.schedule(60_000, { ...event, what: 'failover' })
    return
  }
  machine.host = target.name
  machine.power = 'starting'
  sim.touchSite(site.name)
  const takes = sim.takes(`restart/${machine.name}/${sim.now}`, restartMs / 1000)
  sim.schedule(takes, { ...event, what: 'up' })
}

function comeUp({ sim, site, machine }: Powered): void {
  if (machine.power !== 'starting') return
  machine.power = 'on'
  machine.agent = true
  delete machine.offSince
  sim.touchSite(site.name)
  if (machine.cluster) sim.touchCluster(machine.cluster)
  heardAgain(sim, machine)
}

const powerEvents = {
  unheard: goneUnheard,
  evict: evictUnheard,
  failover: failOver,
  taken: ({ sim, site, machine }: Powered) => takenBack(sim, site, machine),
  up: comeUp,
}

export function powerEvent(
  sim: Sim,
  siteName: string,
  name: string,
  what: keyof typeof powerEvents,
): void {
  const result = machineAt(sim, siteName, name)
  if (!result) return
  const { site, machine } = result
  powerEvents[what]({ sim, site, machine, on: nodeOn(sim, machine) })
}
