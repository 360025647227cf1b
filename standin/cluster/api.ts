/** A cluster’s API: started on a control plane, stopped, closed for good. */
import { permanent, transient } from '../failures'
import type { ArgsOf } from '../../core/contract'
import type { Behaviour } from '../engine/sim'
import type { Sim } from '../engine/sim'
import { agentOn } from '../sites/machines'
import type { Cluster, Operation, OperationFailure } from '../world'
import { networkWorkload } from './platform'
import { record } from './pods'

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
      `The certificates of ${cluster.name} have expired.`,
      {
        about: `certificate/${cluster.name}/api`,
        says: `valid until ${new Date(cluster.certificatesUntil).toISOString().slice(0, 16)}Z`,
      },
      { about: `cluster/${cluster.name}`, says: 'x509: certificate has expired' },
    )
  }
  if (cluster?.resting)
    return permanent('cluster-rests', `${cluster.name} is stopped.`, {
      about: `cluster/${cluster.name}`,
      says: 'stopped',
    })
  if (cluster && apiAnswers(sim, cluster)) return cluster
  return transient('api-down', `The API of ${String(name)} does not answer.`, {
    about: `cluster/${String(name)}`,
    says: cluster ? 'no answer within 10 s' : 'no such cluster',
  })
}

function ground(sim: Sim, op: Operation<ArgsOf<'api.start'>>): string | OperationFailure {
  if (op.args.managed === true) {
    const plane = sim
      .site(op.args.site)
      ?.controlPlanes.find((other) => other.cluster === op.args.cluster)
    return plane
      ? 'control plane reached'
      : permanent('control-plane-gone', 'The managed control plane is not there.', {
          about: `control-plane/${op.args.site}/${op.args.cluster}`,
          says: 'does not exist',
        })
  }
  const machine = agentOn(sim, op.args.site, op.args.machine)
  return 'class' in machine ? machine : `authority and certificates in place on ${machine.name}`
}

export const apiStart: Behaviour<'api.start'> = {
  stages: [
    { seconds: 20, then: ground },
    {
      seconds: (_sim, op) => (op.args.managed === true ? 5 : 45),
      then: (_sim, op) =>
        op.args.managed === true ? undefined : 'state store started, one member',
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
        }
        cluster.apiUp = true
        sim.world.clusters[name] = cluster
        record(
          sim,
          cluster,
          'Normal',
          'ApiStarted',
          `cluster/${name}`,
          `API answers at ${cluster.endpoint}`,
        )
        return `API answers at ${cluster.endpoint}`
      },
    },
  ],
  result: (sim, op) => ({
    endpoint: sim.cluster(op.args.cluster)?.endpoint ?? op.args.endpoint,
  }),
}

const remove = (sim: Sim, name: string): void => {
  delete sim.world.clusters[name]
  sim.touch(`cluster:${name}`)
}

export const apiStop: Behaviour<'api.stop'> = {
  stages: [
    {
      seconds: 10,
      then: (sim, op) => {
        remove(sim, op.args.cluster)
        return 'API stopped, its state removed'
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
        if (!cluster) return 'its API did not exist any more'
        const count = cluster.running.length
        cluster.running = []
        sim.touch(`cluster:${cluster.name}`)
        return `${count} pods ended`
      },
    },
    {
      seconds: 12,
      then: (sim, op) => {
        const site = sim.cluster(op.args.cluster)?.site
        remove(sim, op.args.cluster)
        return site === undefined ? undefined : 'API closed'
      },
    },
  ],
}
