/** A cluster’s API: started on a control plane, stopped, closed for good. */
import type { Said } from '../../core/contract'
import { permanent, transient } from '../failures'
import type { ArgsOf } from '../../core/contract'
import type { Behaviour } from '../engine/sim'
import type { Sim } from '../engine/sim'
import { agentOn } from '../sites/machines'
import type { Cluster, Operation, OperationFailure } from '../world'
import { networkWorkload } from './platform'
import { mirrorOf } from '../registry/held'
import { record } from './pod-events'
import { said } from './says'
import { queueSupport } from './support'

/** Whether the API answers: it was started, its certificates hold, and for an own control plane a majority of its machines is on. */
export function apiAnswers(
  sim: {
    readonly now: number
    site(name: unknown): { machines: readonly { name: string; power: string }[] } | undefined
  },
  cluster: Cluster,
): boolean {
  if (!cluster.apiUp || cluster.certificatesUntil <= sim.now) return false
  if (cluster.managed) return true
  return membersUp(sim, cluster) * 2 > cluster.members.length
}

export function membersUp(
  sim: {
    site(name: unknown): { machines: readonly { name: string; power: string }[] } | undefined
  },
  cluster: Cluster,
): number {
  const machines = sim.site(cluster.site)?.machines ?? []
  return cluster.members.filter((member) =>
    machines.some((machine) => machine.name === member && machine.power === 'on'),
  ).length
}

/** The cluster if its API answers, else the failure a caller meets. */
export function answering(sim: Sim, name: unknown): Cluster | OperationFailure {
  const cluster = sim.cluster(name)
  if (cluster && cluster.certificatesUntil <= sim.now) {
    return permanent(
      'certificate-expired',
      said('certificate-expired', { cluster: cluster.name }),
      {
        about: `certificate/${cluster.name}/api`,
        ...said('valid-until-z', {
          certificatesUntil: new Date(cluster.certificatesUntil).toISOString().slice(0, 16),
        }),
      },
      { about: `cluster/${cluster.name}`, ...said('x509-certificate-expired') },
    )
  }
  if (cluster?.resting)
    return permanent('cluster-rests', said('cluster-rests', { cluster: cluster.name }), {
      about: `cluster/${cluster.name}`,
      ...said('stopped'),
    })
  if (cluster && apiAnswers(sim, cluster)) return cluster
  return transient('api-down', said('api-down', { name: String(name) }), {
    about: `cluster/${String(name)}`,
    ...(cluster ? said('no-answer-within') : said('no-such-cluster')),
  })
}

function ground(sim: Sim, op: Operation<ArgsOf<'api.start'>>): Said | OperationFailure {
  if (op.args.managed === true) {
    const plane = sim
      .site(op.args.site)
      ?.controlPlanes.find((controlPlane) => controlPlane.cluster === op.args.cluster)
    return plane
      ? said('control-plane-reached')
      : permanent('control-plane-gone', said('control-plane-gone'), {
          about: `control-plane/${op.args.site}/${op.args.cluster}`,
          ...said('does-not-exist'),
        })
  }
  const machine = agentOn(sim, op.args.site, op.args.machine)
  return 'class' in machine
    ? machine
    : said('authority-certificates-place', { machine: machine.name })
}

export const apiStart: Behaviour<'api.start'> = {
  stages: [
    { seconds: 20, then: ground },
    {
      seconds: (_sim, op) => (op.args.managed === true ? 5 : 45),
      then: (_sim, op) => (op.args.managed === true ? undefined : said('state-store-started')),
    },
    {
      seconds: (_sim, op) => (op.args.managed === true ? 20 : 50),
      then: (sim, op) => {
        const name = op.args.cluster
        const machine = op.args.machine
        if (machine !== null) {
          const on = agentOn(sim, op.args.site, machine)
          if ('class' in on) return on
        }
        const cluster: Cluster = sim.cluster(name) ?? {
          name,
          site: op.args.site,
          release: op.args.release,
          managed: op.args.managed === true,
          endpoint: op.args.endpoint,
          pods: op.args.pods,
          services: op.args.services,
          apiAddress: op.args.apiAddress,
          dnsAddress: op.args.dnsAddress,
          maxPodsPerNode: op.args.maxPodsPerNode || 110,
          members: machine === null ? [] : [machine],
          apiUp: true,
          namespaces: ['default', 'platform'],
          nodes: [],
          workloads: [networkWorkload(sim.now)],
          running: [],
          serviceList: [
            {
              namespace: 'default',
              name: 'kubernetes',
              address: op.args.apiAddress,
              port: 443,
              workload: '',
            },
          ],
          events: [],
          nextBlock: 0,
          nextName: 0,
          tokens: 1,
          certificatesUntil: sim.now + 365 * 86_400_000,
          backups: [],
          createdAt: sim.now,
          ...mirrorOf(sim.world.outside, sim.site(op.args.site)),
        }
        cluster.apiUp = true
        sim.world.clusters[name] = cluster
        queueSupport(sim, cluster)
        record(
          sim,
          cluster,
          'Normal',
          'ApiStarted',
          `cluster/${name}`,
          `API answers at ${cluster.endpoint}`,
        )
        return said('api-answers', { endpoint: cluster.endpoint })
      },
    },
  ],
  result: (sim, op) => ({
    endpoint: sim.cluster(op.args.cluster)?.endpoint ?? op.args.endpoint,
  }),
}

const remove = (sim: Sim, name: string): void => {
  delete sim.world.clusters[name]
  sim.touchCluster(name)
}

export const apiStop: Behaviour<'api.stop'> = {
  stages: [
    {
      seconds: 10,
      then: (sim, op) => {
        remove(sim, op.args.cluster)
        return said('api-stopped-state')
      },
    },
  ],
}

export const clusterClose: Behaviour<'cluster.close'> = {
  stages: [
    {
      seconds: 25,
      then: (sim, op) => {
        const cluster = sim.cluster(op.args.cluster)
        if (!cluster) return said('api-did-not')
        const count = cluster.running.length
        cluster.running = []
        sim.touchCluster(cluster.name)
        return said('pods-ended', { count })
      },
    },
    {
      seconds: 12,
      then: (sim, op) => {
        const site = sim.cluster(op.args.cluster)?.site
        remove(sim, op.args.cluster)
        return site === undefined ? undefined : said('api-closed')
      },
    },
  ],
}
