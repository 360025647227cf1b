/** Add-ons and the small probes that prove a cluster: DNS asked, a pod tried on each pool. */
import { quoted } from '../../core/contract'
import { formatAddress, parseCidr } from '../../core/addresses'
import { permanent } from '../failures'
import type { Behaviour } from '../engine/sim'
import type { Cluster, Manifest, Workload } from '../world'
import { answering } from './api'
import { list, record as fields, text } from './manifests'
import { addOnWorkloads } from './platform'
import { fillWorkload } from './controllers'
import { newPod, startPod } from './pods'
import { record } from './pod-events'
import { podKey } from './pod-events'
import { schedulePod } from './placing'
import { loads } from './placing'
import { said } from './says'

/** The address of the next service: DNS has its own, others count up from network + 11. */
export function nextServiceAddress(cluster: Cluster): string {
  const range = parseCidr(cluster.services)
  if (!range.ok) return ''
  const taken = new Set(cluster.serviceList.map((service) => service.address))
  for (let value = range.value.first + 11n; value < range.value.last; value++) {
    const address = formatAddress({ family: range.value.family, value })
    if (!taken.has(address)) return address
  }
  return ''
}

/** Gives a service that was written its address, where it has none yet and is of a kind that has one. */
export function addService(cluster: Cluster, manifest: Manifest): void {
  const { name, namespace = 'default' } = manifest.metadata
  const spec = fields(manifest['spec'])
  if (
    spec['clusterIP'] === 'None' ||
    spec['type'] === 'ExternalName' ||
    cluster.serviceList.some((service) => service.name === name && service.namespace === namespace)
  )
    return
  cluster.serviceList.push({
    namespace,
    name,
    address: nextServiceAddress(cluster),
    port: Number(fields(list(spec['ports'])[0])['port'] ?? 0),
    workload: text(fields(spec['selector'])['app']),
  })
}

export const addOnsPlace: Behaviour<'addons.place'> = {
  stages: [
    {
      seconds: 15,
      then: (sim, op) => {
        const cluster = answering(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        const fresh = addOnWorkloads(sim.now).filter(
          (add) =>
            !cluster.workloads.some(
              (workload) => workload.namespace === add.namespace && workload.name === add.name,
            ),
        )
        cluster.workloads = [...cluster.workloads, ...fresh]
        for (const workload of fresh) {
          if (workload.port !== null)
            cluster.serviceList.push({
              namespace: workload.namespace,
              name: workload.name,
              address: workload.name === 'dns' ? cluster.dnsAddress : nextServiceAddress(cluster),
              port: workload.port,
              workload: workload.name,
            })
        }
        const load = loads(cluster)
        for (const workload of cluster.workloads)
          if (workload.namespace === 'platform') fillWorkload(sim, cluster, workload, load)
        return said('add-ons-applied', { freshCount: fresh.length })
      },
    },
    {
      seconds: 10,
      then: (sim, op) => {
        const cluster = answering(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        const pods = cluster.running.filter((pod) => pod.namespace === 'platform')
        const homeless = pods.find((pod) => pod.node === null)
        if (homeless) {
          const load = loads(cluster)
          const workload = cluster.workloads.find((workload) => workload.name === homeless.workload)
          if (workload) schedulePod(cluster, homeless, workload, load)
          if (homeless.node === null) {
            return permanent(
              'pods-pending',
              said('pods-pending.pod-no-place', { pod: podKey(homeless) }),
              {
                about: `pod/${cluster.name}/${podKey(homeless)}`,
                ...quoted('pod-waits', homeless.waits ?? 'pending'),
              },
              { about: `cluster/${cluster.name}`, ...said('add-ons-not') },
            )
          }
        }
        return pods.every((pod) => pod.phase === 'Running')
          ? said('platform-pods-run', { mineCount: pods.length })
          : { again: 5 }
      },
    },
  ],
}

export const tokensRevoke: Behaviour<'tokens.revoke'> = {
  stages: [
    {
      seconds: 2,
      then: (sim, op) => {
        const cluster = answering(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        cluster.tokens = 0
        sim.touchCluster(cluster.name)
        return said('join-tokens-revoked')
      },
    },
  ],
}

/** Whether a cluster’s DNS answers: its API does, and at least one DNS pod runs. */
export const dnsAnswers = (cluster: Cluster): boolean =>
  cluster.running.some(
    (pod) => pod.workload === 'dns' && pod.namespace === 'platform' && pod.phase === 'Running',
  )

export const dnsAsk: Behaviour<'dns.ask'> = {
  stages: [
    {
      seconds: 3,
      then: (sim, op) => {
        const cluster = answering(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        return dnsAnswers(cluster)
          ? said('kubernetes-default-svc', {
              apiAddress: cluster.apiAddress,
              dnsAddress: cluster.dnsAddress,
            })
          : permanent('dns-silent', said('dns-silent', { cluster: cluster.name }), {
              about: `service/${cluster.name}/platform/dns`,
              ...said('no-ready-endpoint'),
            })
      },
    },
  ],
  result: (_sim, op) => ({ answers: true, says: op.evidence.at(-1)?.says ?? '' }),
}

const trial = (pool: string, tolerations: Workload['tolerations'], at: number): Workload => ({
  namespace: 'platform',
  name: `trial-${pool}`,
  kind: 'Deployment',
  replicas: 1,
  cpuMilli: 50,
  memoryBytes: 32 * 1024 * 1024,
  gpus: 0,
  image: 'registry.fernhollow.example/platform/trial:1',
  serviceAccount: 'default',
  port: null,
  tolerations,
  pool,
  createdAt: at,
})

export const podTry: Behaviour<'pod.try'> = {
  stages: [
    {
      seconds: 4,
      then: (sim, op) => {
        const cluster = answering(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        const pool = op.args.pool
        const taints = cluster.nodes
          .filter((node) => node.pool === pool)
          .flatMap((node) => node.taints)
        const workload = trial(
          pool,
          taints.map(({ key, value }) => ({ key, value })),
          sim.now,
        )
        const pod = {
          ...newPod(sim, cluster, workload, 0, sim.now),
          name: `${workload.name}-${cluster.nextName}`,
        }
        schedulePod(cluster, pod, workload, loads(cluster))
        if (pod.node === null)
          return permanent('pods-pending', said('pods-pending.pod-finds-no', { pool }), {
            about: `pool/${cluster.name}/${pool}`,
            ...quoted('pod-waits', pod.waits ?? 'pending'),
          })
        cluster.running.push(pod)
        return said('pod-placed', { node: pod.node })
      },
    },
    {
      seconds: 12,
      then: (sim, op) => {
        const cluster = answering(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        const pod = cluster.running.find(
          (pod) => pod.workload === `trial-${op.args.pool}` && pod.phase === 'Pending',
        )
        if (!pod) return permanent('pod-gone', said('pod-gone'))
        startPod(cluster, pod, sim.now)
        const ran = said('trial-ran', { node: pod.node ?? '', ip: pod.ip ?? '' })
        cluster.running = cluster.running.filter((otherPod) => otherPod !== pod)
        record(sim, cluster, 'Normal', 'Completed', `pod/${podKey(pod)}`, ran.says)
        return ran
      },
    },
  ],
  result: (_sim, op) => ({ ran: true, says: op.evidence.at(-1)?.says ?? '' }),
}
