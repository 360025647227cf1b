/** Nodes: an agent registers, the pod network starts, the node becomes ready; and the way back. */
import { parseCidr } from '../../core/addresses'
import { GiB, MiB } from '../../core/units'
import { permanent } from '../failures'
import { timeServersFor } from '../sites/surroundings'
import type { ArgsOf } from '../../core/contract'
import type { Behaviour, Sim } from '../engine/sim'
import { strike } from '../faults'
import { agentOn } from '../sites/machines'
import type { Cluster, Condition, Machine, Node, OperationFailure, Site } from '../world'
import { apiAt, obstacleTo } from '../traffic/reach'
import { answering, apiAnswers } from './api'
import { fillWorkload, refill } from './controllers'
import { record } from './pod-events'
import { loads } from './placing'
import { settleStorage } from '../storage/settle'
import { said } from './says'

/** What an agent keeps back, computed as agents do it: in floating point, rounded down at the end. */
export function agentAllocatable(
  cores: number,
  memoryBytes: number,
): { cpuMilli: number; memoryBytes: number } {
  const cpuReserved =
    60 * Math.min(cores, 1) +
    10 * Math.min(Math.max(cores - 1, 0), 1) +
    5 * Math.min(Math.max(cores - 2, 0), 2) +
    2.5 * Math.max(cores - 4, 0)
  const gib = memoryBytes / GiB
  const kept =
    gib < 1
      ? (255 * MiB) / GiB
      : 0.25 * Math.min(gib, 4) +
        0.2 * Math.min(Math.max(gib - 4, 0), 4) +
        0.1 * Math.min(Math.max(gib - 8, 0), 8) +
        0.06 * Math.min(Math.max(gib - 16, 0), 112) +
        0.02 * Math.max(gib - 128, 0)
  return {
    cpuMilli: Math.floor(cores * 1000 - cpuReserved + 1e-6),
    memoryBytes: Math.floor(memoryBytes - kept * GiB - 100 * MiB + 1e-3),
  }
}

const pressures = ['MemoryPressure', 'DiskPressure', 'PIDPressure'] as const

export const calmConditions = (at: number): Condition[] =>
  pressures.map((type) => ({
    type,
    status: 'False',
    reason: `NodeHasNo${type}`,
    message: `no ${type.replace('Pressure', '').toLowerCase()} pressure`,
    since: at,
  }))

export const readyCondition = (at: number): Condition => ({
  type: 'Ready',
  status: 'True',
  reason: 'KubeletReady',
  message: 'kubelet is posting ready status',
  since: at,
})

export function newNode(
  cluster: Cluster,
  machine: Machine,
  spec: Pick<Node, 'name' | 'pool' | 'zone' | 'roles' | 'labels' | 'taints'>,
  at: number,
): Node {
  const room = agentAllocatable(machine.cores, machine.memoryBytes)
  const roleLabels = Object.fromEntries(
    spec.roles.map((role) => [`node-role.kubernetes.io/${role}`, '']),
  )
  return {
    ...spec,
    labels: {
      'kubernetes.io/hostname': spec.name,
      'topology.kubernetes.io/zone': spec.zone,
      'node.kubernetes.io/instance-type': machine.size,
      'gyrarch/pool': spec.pool,
      ...roleLabels,
      ...spec.labels,
    },
    machine: machine.name,
    address: machine.address ?? '',
    release: machine.release,
    conditions: [],
    cordoned: false,
    cpuMilli: machine.cores * 1000,
    memoryBytes: machine.memoryBytes,
    gpus: machine.gpus,
    allocatableCpuMilli: room.cpuMilli,
    allocatableMemoryBytes: room.memoryBytes,
    block: cluster.nextBlock++,
    createdAt: at,
  }
}

/** How many nodes the pod range has blocks for. */
function blocks(cluster: Cluster): number {
  const range = parseCidr(cluster.pods)
  if (!range.ok) return 0
  let size = 1n
  while (size < 2n * BigInt(cluster.maxPodsPerNode)) size *= 2n
  return Number((range.value.last - range.value.first + 1n) / size)
}

type JoinArgs = ArgsOf<'node.join'>

/** What keeps a machine from being taken in: its clock, the way to the API, an agent that does not start. */
function joinObstacle(
  sim: Sim,
  cluster: Cluster,
  machine: Machine,
  args: JoinArgs,
): OperationFailure | null {
  const site = sim.site(args.site)
  const about = `machine/${site?.name ?? ''}/${machine.name}`
  const node = `node/${cluster.name}/${args.node}`
  return (
    clockObstacle(sim, site, machine, args.timeServers, about, node, args.node) ??
    wayObstacle(sim, site, cluster, machine, about, node, args.node) ??
    agentObstacle(sim, site, machine, about, node, args.node)
  )
}

/** Certificates are not yet valid, or no longer, to a clock that is far off. It is set again as soon as a server answers. */
function clockObstacle(
  sim: Sim,
  site: Site | undefined,
  machine: Machine,
  times: readonly string[],
  about: string,
  node: string,
  name: string,
): OperationFailure | null {
  if (machine.skewSeconds === undefined) return null
  const sources = site ? timeServersFor(sim, site, times, machine.address) : []
  if (sources.some((server) => server.answers)) {
    delete machine.skewSeconds
    return null
  }
  const minutes = Math.round(machine.skewSeconds / 60)
  return permanent(
    'clock-skew',
    said('clock-skew', { name, minutes }),
    {
      about: `time-server/${site?.name ?? ''}/${sources[0]?.name ?? times[0] ?? ''}`,
      ...said('does-not-answer'),
    },
    { about, ...said('clock-min-behind', { minutes }) },
    { about: node, ...said('x509-certificate-not') },
  )
}

function wayObstacle(
  sim: Sim,
  site: Site | undefined,
  cluster: Cluster,
  machine: Machine,
  about: string,
  node: string,
  name: string,
): OperationFailure | null {
  const api = apiAt(sim, cluster)
  const obstacle =
    site && api && machine.address !== null
      ? obstacleTo(sim, site, machine.address, api.address, api.port)
      : null
  if (!obstacle) return null
  return {
    class: 'transient',
    reason: 'api-not-reached',
    ...said('api-not-reached', { name, cluster: cluster.name }),
    chain: [
      { about: obstacle.about, ...obstacle.stopped },
      { about, ...said('api-timed-out') },
      { about: node, ...said('not-registered-within') },
    ],
  }
}

function agentObstacle(
  sim: Sim,
  site: Site | undefined,
  machine: Machine,
  about: string,
  node: string,
  name: string,
): OperationFailure | null {
  const silent = strike(sim, 'agent-silent', [`site/${site?.name ?? ''}`, about])
  if (!silent) return null
  return {
    class: silent.mode,
    reason: 'agent-silent',
    ...said('agent-silent', { name }),
    chain: [
      {
        about: `agent/${site?.name ?? ''}/${machine.name}`,
        ...said('loops-configuration-names'),
      },
      { about: node, ...said('not-registered-within') },
    ],
  }
}

/** Enters the machine as a node that is not ready yet, and starts its network. */
function register(sim: Sim, cluster: Cluster, machine: Machine, args: JoinArgs): Node {
  const { node: name, pool, zone, roles, labels, taints } = args
  const node = newNode(cluster, machine, { name, pool, zone, roles, labels, taints }, sim.now)
  node.conditions = [
    ...calmConditions(sim.now),
    {
      type: 'Ready',
      status: 'False',
      reason: 'KubeletNotReady',
      message:
        'container runtime network not ready: NetworkReady=false reason:NetworkPluginNotReady message:Network plugin returns error: cni plugin not initialized',
      since: sim.now,
    },
  ]
  cluster.nodes = [...cluster.nodes, node]
  if (roles.includes('control-plane') && !cluster.members.includes(machine.name))
    cluster.members = [...cluster.members, machine.name]
  record(
    sim,
    cluster,
    'Normal',
    'Registered',
    `node/${name}`,
    `agent ${node.release} registered from ${node.address}`,
  )
  const network =
    cluster.workloads.find((workload) => workload.name === 'pod-network') ??
    cluster.workloads[0] ??
    neverWorkload
  fillWorkload(sim, cluster, network, loads(cluster))
  return node
}

export const nodeJoin: Behaviour<'node.join'> = {
  stages: [
    {
      seconds: 12,
      then: (sim, op) => {
        const cluster = answering(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        const machine = agentOn(sim, op.args.site, op.args.machine)
        if ('class' in machine) return machine
        const obstacle = joinObstacle(sim, cluster, machine, op.args)
        if (obstacle) return obstacle
        const name = op.args.node
        if (cluster.nodes.some((node) => node.name === name))
          return said('registered-already', { name })
        if (cluster.nodes.length >= blocks(cluster))
          return permanent('pod-range-full', said('pod-range-full', { pods: cluster.pods, name }), {
            about: `cluster/${cluster.name}`,
            ...said('pod-range-used'),
          })
        const node = register(sim, cluster, machine, op.args)
        return said('agent-registered-from', { address: node.address })
      },
    },
    {
      seconds: (_sim, op) => (op.args.roles.includes('control-plane') ? 45 : 0),
      then: (_sim, op) =>
        op.args.roles.includes('control-plane') ? said('state-store-step') : undefined,
    },
    {
      seconds: 22,
      then: (sim, op) => {
        const cluster = answering(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        const network = cluster.running.find(
          (pod) => pod.workload === 'pod-network' && pod.node === op.args.node,
        )
        return network?.phase === 'Running' ? said('pod-network-started') : { again: 5 }
      },
    },
    {
      seconds: 8,
      then: (sim, op) => {
        const cluster = answering(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        const node = cluster.nodes.find((node) => node.name === op.args.node)
        if (!node)
          return permanent(
            'node-gone',
            said('node-gone.no-longer-registered', { node: op.args.node }),
            {
              about: `node/${cluster.name}/${op.args.node}`,
              ...said('not-found'),
            },
          )
        node.conditions = [
          ...node.conditions.filter((condition) => condition.type !== 'Ready'),
          readyCondition(sim.now),
        ]
        record(
          sim,
          cluster,
          'Normal',
          'NodeReady',
          `node/${node.name}`,
          `Node ${node.name} status is now: NodeReady`,
        )
        const load = loads(cluster)
        // Daemons first; then what has waited for room.
        for (const workload of cluster.workloads)
          if (workload.kind === 'DaemonSet') fillWorkload(sim, cluster, workload, load)
        refill(
          sim,
          cluster,
          cluster.running.filter((pod) => pod.node === null && pod.wants === undefined),
        )
        return said('ready')
      },
    },
  ],
  result: (_sim, op) => ({ node: op.args.node }),
}

/** Stands in where a cluster has no workloads at all: nothing is filled. */
const neverWorkload = {
  namespace: 'platform',
  name: 'none',
  kind: 'CronJob',
  replicas: 0,
  cpuMilli: 0,
  memoryBytes: 0,
  gpus: 0,
  image: '',
  serviceAccount: '',
  port: null,
  tolerations: [],
  pool: null,
  createdAt: 0,
} as const

export const nodeRemove: Behaviour<'node.remove'> = {
  stages: [
    {
      seconds: 15,
      then: (sim, op) => {
        const cluster = sim.cluster(op.args.cluster)
        const node = cluster?.nodes.find((node) => node.name === op.args.node)
        if (!cluster || !node) return said('nothing-remove')
        cluster.running = cluster.running.filter((pod) => pod.node !== node.name)
        cluster.nodes = cluster.nodes.filter((otherNode) => otherNode !== node)
        // The last member stays in the books until the API itself is stopped.
        if (cluster.members.length > 1)
          cluster.members = cluster.members.filter((member) => member !== node.machine)
        record(sim, cluster, 'Normal', 'Removed', `node/${node.name}`, 'removed from the cluster')
        settleStorage(sim, cluster)
        // Controllers make anew what ran on it; an API without a majority makes nothing.
        if (apiAnswers(sim, cluster) && cluster.nodes.length > 0) {
          const load = loads(cluster)
          for (const workload of cluster.workloads) fillWorkload(sim, cluster, workload, load)
        }
        return said('removed', { node: node.name })
      },
    },
  ],
}
