/** What a cluster’s API tells of itself and its nodes. */
import type { ClusterReport, NodeReport } from '../../core/contract'
import type { Cluster, Node } from '../cluster-state'
import type { Simulator } from '../engine/simulator'
import type { Load } from '../cluster/fits'
import { loads } from '../cluster/placing'
import { apiAnswers, membersUp } from '../cluster/api'
import { dnsAnswers } from '../cluster/add-ons'
import { isoTime } from '../../core/units'
import { storageReport } from '../storage/report'
import { machineReport } from './site'

export const nodeReport = (node: Node, load: Load | undefined): NodeReport => ({
  name: node.name,
  pool: node.pool,
  zone: node.zone,
  roles: node.roles,
  machine: node.machine,
  address: node.address,
  release: node.release,
  conditions: node.conditions.map((condition) => ({
    ...condition,
    since: isoTime(condition.since),
  })),
  cordoned: node.cordoned,
  cpuMilli: node.cpuMilli,
  memoryBytes: node.memoryBytes,
  allocatableCpuMilli: node.allocatableCpuMilli,
  allocatableMemoryBytes: node.allocatableMemoryBytes,
  requestedCpuMilli: load?.cpuMilli ?? 0,
  requestedMemoryBytes: load?.memoryBytes ?? 0,
  pods: load?.pods ?? 0,
  createdAt: isoTime(node.createdAt),
})

const daySeconds = 86_400

/** What was asked of an API over a day, by workloads that run. */
function apiClients(sim: Simulator, { apiClients: clients = [] }: Cluster) {
  return clients.flatMap(({ agent, cluster, from, apiVersion, kind, everySeconds }) => {
    const [namespace = '', name = ''] = from.split('/')
    const pods = sim
      .cluster(cluster)
      ?.running.filter((pod) => pod.namespace === namespace && pod.workload === name)
    const asking = (pods ?? []).filter(({ phase }) => phase === 'Running').length
    return asking === 0
      ? []
      : [
          {
            agent,
            from: `${cluster}/${from}`,
            apiVersion,
            kind,
            perDay: Math.round(daySeconds / everySeconds),
          },
        ]
  })
}

/** A cluster as its API tells it; of one whose API does not answer only that. */
export function clusterReport(sim: Simulator, name: string): ClusterReport | null {
  const cluster = sim.cluster(name)
  if (!cluster) return null
  const answers = apiAnswers(sim, cluster)
  const load = loads(cluster)
  return {
    name,
    apiAnswers: answers,
    membersUp: membersUp(sim, cluster),
    members: cluster.members,
    release: cluster.release,
    endpoint: cluster.endpoint,
    nodes: answers ? cluster.nodes.map((node) => nodeReport(node, load.get(node.name))) : [],
    certificatesUntil: isoTime(cluster.certificatesUntil),
    backups: cluster.backups.map(({ body: _body, at, ...backup }) => ({
      ...backup,
      at: isoTime(at),
    })),
    addOns: answers
      ? Object.entries(cluster.addOns ?? {}).map(([addOn, version]) => ({ name: addOn, version }))
      : [],
    apiClients: answers ? apiClients(sim, cluster) : [],
    storage:
      answers && cluster.storage
        ? storageReport(sim.world, cluster, cluster.storage, sim.now)
        : null,
    podCount: answers ? cluster.running.length : 0,
    keepSource: cluster.keepSource ?? [],
    ...(cluster.redirects ? { redirects: cluster.redirects } : {}),
    ...(cluster.pullsAs ? { pullsAs: cluster.pullsAs } : {}),
    namespaces: answers ? cluster.namespaces : [],
    dnsAnswers: answers && dnsAnswers(cluster),
    restingSince: cluster.resting ? isoTime(cluster.resting.since) : null,
    restingMachines: (cluster.resting?.machines ?? []).map(machineReport),
    restingNodes: (cluster.resting?.nodes ?? []).map((node) => nodeReport(node, undefined)),
  }
}
