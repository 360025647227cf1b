/** A cluster stopped and started: its objects and disks stay, its machines and its control plane’s tier are given back and taken again. */
import { permanent } from '../failures'
import type { Behaviour } from '../engine/sim'
import type { Sim } from '../engine/sim'
import { firstHost } from '../sites/power'
import type { ArgsOf } from '../../core/contract'
import type { Cluster, Machine, Node, OperationFailure, Site } from '../world'
import { queueAutoscalers } from './autoscale'
import { agentAllocatable, readyCondition } from './nodes'
import { fillWorkload } from './controllers'
import { record } from './pod-events'
import { loads } from './placing'
import { said } from './says'
import { countText } from '../../core/units'

const existing = (sim: Sim, name: unknown): Cluster | OperationFailure =>
  sim.cluster(name) ??
  permanent('no-cluster', said('no-cluster.name', { name: String(name) }), {
    about: `cluster/${String(name)}`,
    ...said('does-not-exist'),
  })

/** Pods end, the API is closed, nodes are put down; then the machines go back. */
export const clusterRest: Behaviour<'cluster.rest'> = {
  stages: [
    {
      seconds: 25,
      then: (sim, op) => {
        const cluster = existing(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        if (cluster.resting) return said('rests-already')
        const count = cluster.running.length
        cluster.running = []
        sim.touchCluster(cluster.name)
        return said('pods-ended-objects', {
          count,
          workloadsCount: cluster.workloads.length + (cluster.objects?.length ?? 0),
        })
      },
    },
    {
      seconds: 30,
      then: (sim, op) => {
        const cluster = existing(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        const site = sim.site(cluster.site)
        if (cluster.resting || !site) return undefined
        const machines = site.machines.filter((machine) => machine.cluster === cluster.name)
        cluster.resting = {
          since: sim.now,
          machines,
          nodes: cluster.nodes,
          controlPlanes: site.controlPlanes.filter((plane) => plane.cluster === cluster.name),
        }
        cluster.nodes = []
        cluster.apiUp = false
        site.machines = site.machines.filter((machine) => machine.cluster !== cluster.name)
        site.controlPlanes = site.controlPlanes.filter((plane) => plane.cluster !== cluster.name)
        sim.touchCluster(cluster.name)
        sim.touchSite(site.name)
        return said('machines-given-back', { machinesCount: machines.length })
      },
    },
  ],
}

/** Why a site cannot give a machine again, or null. */
function refused(site: Site, machine: Machine): OperationFailure | null {
  const about = `machine/${site.name}/${machine.name}`
  if (site.soldOut.includes(`${machine.zone}/${machine.size}`))
    return permanent(
      'no-stock',
      said('no-stock', { size: machine.size, zone: machine.zone }),
      { about: `size/${site.name}/${machine.zone}/${machine.size}`, ...said('none-left') },
      { about, ...said('not-started') },
    )
  const cores = site.machines.reduce(
    (sum, otherMachine) => sum + (otherMachine.box === null ? otherMachine.cores : 0),
    0,
  )
  if (site.quotaCores !== null && cores + machine.cores > site.quotaCores)
    return permanent(
      'quota',
      said('quota', { site: site.name, machine: machine.name, cores, quotaCores: site.quotaCores }),
      {
        about: `quota/${site.name}/cores`,
        ...said('used', { cores, quotaCores: site.quotaCores }),
      },
      { about, ...said('not-started') },
    )
  if (machine.box === null && site.kind === 'hall') {
    const host = firstHost(site, machine)
    if (!host)
      return permanent(
        'no-room',
        said('no-room', { zone: machine.zone, machine: machine.name }),
        { about: `zone/${machine.zone}`, ...said('no-host-room') },
        { about, ...said('not-started') },
      )
    machine.host = host.name
  }
  return null
}

/** A machine as it is to come back, or null where it is not asked for; a size that the site does not have fails. */
function asAsked(
  site: Site,
  machine: Machine,
  asked: ArgsOf<'cluster.wake'>['machines'],
): Machine | OperationFailure | null {
  if (asked === undefined) return machine
  const request = asked.find((entry) => entry.name === machine.name)
  if (!request) return null
  if (request.size === machine.size) return { ...machine, zone: request.zone }
  const size = site.sizes.find((candidate) => candidate.name === request.size)
  if (!size)
    return permanent(
      'size-unknown',
      said('size-unknown', { site: site.name, size: request.size }),
      {
        about: `size/${site.name}/${request.zone}/${request.size}`,
        ...said('not-offered'),
      },
    )
  return {
    ...machine,
    zone: request.zone,
    size: size.name,
    cores: size.cores,
    memoryBytes: size.memoryBytes,
  }
}

/** A node on the machine that came back for it, as large as that is; none where none did. */
function comesBack(node: Node, machines: readonly Machine[]): readonly Node[] {
  const machine = machines.find((candidate) => candidate.name === node.machine)
  if (!machine) return []
  const room = agentAllocatable(machine.cores, machine.memoryBytes)
  return [
    {
      ...node,
      zone: machine.zone,
      labels: {
        ...node.labels,
        'topology.kubernetes.io/zone': machine.zone,
        'node.kubernetes.io/instance-type': machine.size,
      },
      cpuMilli: machine.cores * 1000,
      memoryBytes: machine.memoryBytes,
      allocatableCpuMilli: room.cpuMilli,
      allocatableMemoryBytes: room.memoryBytes,
    },
  ]
}

/** Machines are taken again, the API opens, nodes come back and their pods are made anew. */
export const clusterWake: Behaviour<'cluster.wake'> = {
  stages: [
    {
      seconds: 70,
      then: (sim, op) => {
        const cluster = existing(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        const site = sim.site(cluster.site)
        const { resting } = cluster
        if (!resting || !site) return said('runs-already')
        const taken: Machine[] = []
        for (const request of resting.machines) {
          const machine = asAsked(site, request, op.args.machines)
          if (machine === null) continue
          if ('class' in machine) return machine
          const failure = refused({ ...site, machines: [...site.machines, ...taken] }, machine)
          if (failure) return failure
          taken.push(machine)
        }
        cluster.resting = { ...resting, machines: taken }
        site.machines = [...site.machines, ...taken]
        site.controlPlanes = [...site.controlPlanes, ...resting.controlPlanes]
        sim.touchSite(site.name)
        return said('machines-taken-again', { takenCount: taken.length })
      },
    },
    {
      seconds: 45,
      then: (sim, op) => {
        const cluster = existing(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        const { resting } = cluster
        if (!resting) return undefined
        cluster.nodes = resting.nodes
          .flatMap((node) => comesBack(node, resting.machines))
          .map((node) => ({
            ...node,
            cordoned: false,
            conditions: [
              ...node.conditions.filter((condition) => condition.type !== 'Ready'),
              readyCondition(sim.now),
            ],
          }))
        cluster.apiUp = true
        delete cluster.resting
        const load = loads(cluster)
        for (const workload of cluster.workloads) fillWorkload(sim, cluster, workload, load)
        queueAutoscalers(sim, cluster)
        record(
          sim,
          cluster,
          'Normal',
          'Woken',
          `cluster/${cluster.name}`,
          `${countText(cluster.nodes.length, 'node is', 'nodes are')} back`,
        )
        return said('api-answers-nodes', { nodesCount: cluster.nodes.length })
      },
    },
    {
      seconds: 25,
      then: (sim, op) => {
        const cluster = existing(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        const starting = cluster.running.filter(
          (pod) => pod.node !== null && pod.phase === 'Pending' && !pod.trouble,
        ).length
        return starting > 0
          ? { again: 5 }
          : said('pods-run', { runningCount: cluster.running.length })
      },
    },
  ],
  result: (sim, op) => ({ nodes: sim.cluster(op.args.cluster)?.nodes.length ?? 0 }),
}
