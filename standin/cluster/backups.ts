/** Certificates and state-store backups of a cluster. */

import type { Cluster } from '../cluster-state'
import type { Behaviour } from '../engine/sim'
import { permanent } from '../failures'
import { healed } from '../sites/ground'
import { answering } from './api'
import { clusterOf } from './keeping'
import { fillWorkload } from './controllers'
import { isPodOf } from './manifests'
import { record } from './pod-events'
import { loads } from './placing'
import { said } from './says'

export const certificatesRenew: Behaviour<'certificates.renew'> = {
  stages: [
    {
      seconds: 20,
      then: (_sim, op) => said('new-key-request', { cluster: op.args.cluster }),
    },
    {
      seconds: 40,
      then: (sim, op) => {
        const cluster = clusterOf(sim, op)
        if ('class' in cluster) return cluster
        cluster.certificatesUntil = sim.now + 365 * 86_400_000
        healed(sim, 'certificate-expired', `cluster/${cluster.name}`)
        record(
          sim,
          cluster,
          'Normal',
          'CertificatesRenewed',
          `cluster/${cluster.name}`,
          `valid until ${new Date(cluster.certificatesUntil).toISOString().slice(0, 10)}`,
        )
        sim.touchCluster(cluster.name)
        return said('control-plane-restarted', {
          certificatesUntil: new Date(cluster.certificatesUntil).toISOString().slice(0, 10),
        })
      },
    },
  ],
  result: (sim, op) => ({ until: sim.cluster(op.args.cluster)?.certificatesUntil ?? 0 }),
}

/** The state store’s content, in a form that can be laid beside the living one. */
export function contentOf(cluster: Cluster): { body: string; objects: number } {
  const nodes = cluster.nodes.map((node) => node.name).sort()
  const workloads = cluster.workloads
    .map(
      (workload) => `${workload.kind}/${workload.namespace}/${workload.name}×${workload.replicas}`,
    )
    .sort()
  const services = cluster.serviceList
    .map((service) => `${service.namespace}/${service.name}@${service.address}`)
    .sort()
  const body = JSON.stringify({
    namespaces: [...cluster.namespaces].sort(),
    nodes,
    workloads,
    services,
  })
  return {
    body,
    objects:
      cluster.namespaces.length +
      nodes.length +
      workloads.length +
      services.length +
      cluster.running.length,
  }
}

export const backupTake: Behaviour<'backup.take'> = {
  stages: [
    {
      seconds: 30,
      then: (sim, op) => {
        const cluster = answering(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        const { body, objects } = contentOf(cluster)
        const id = op.args.backup
        const bytes = body.length * 40 + cluster.running.length * 3200
        cluster.backups = [
          ...cluster.backups.filter((backup) => backup.id !== id),
          { id, at: sim.now, bytes, objects, body },
        ].slice(-20)
        sim.touchCluster(cluster.name)
        return said('objects-mb-revision', {
          objects,
          bytes: (bytes / 1e6).toFixed(1),
          nextName: cluster.nextName * 7 + cluster.events.length,
        })
      },
    },
  ],
  result: (sim, op) => {
    const backup = sim
      .cluster(op.args.cluster)
      ?.backups.find((backup) => backup.id === op.args.backup)
    return { objects: backup?.objects ?? 0, bytes: backup?.bytes ?? 0 }
  },
}

/** Restores into a state store set up beside, and compares what it then holds. */
export const backupTry: Behaviour<'backup.try'> = {
  stages: [
    {
      seconds: 25,
      then: (sim, op) => {
        const cluster = clusterOf(sim, op)
        if ('class' in cluster) return cluster
        const backup = cluster.backups.find((backup) => backup.id === op.args.backup)
        return backup
          ? said('objects-read-into', { objects: backup.objects })
          : permanent(
              'backup-gone',
              said('backup-gone.no-backup', { cluster: cluster.name, backup: op.args.backup }),
              {
                about: `backup/${cluster.name}/${op.args.backup}`,
                ...said('not-found'),
              },
            )
      },
    },
    {
      seconds: 20,
      then: (sim, op) => {
        const cluster = clusterOf(sim, op)
        if ('class' in cluster) return cluster
        const backup = cluster.backups.find((backup) => backup.id === op.args.backup)
        const held = backup
          ? (JSON.parse(backup.body) as { workloads: string[]; nodes: string[] })
          : null
        return held
          ? said('answers-nodes-workloads', {
              nodesCount: held.nodes.length,
              workloadsCount: held.workloads.length,
            })
          : permanent('backup-gone', said('backup-gone.backup-gone'))
      },
    },
  ],
  result: (sim, op) => {
    const backup = sim
      .cluster(op.args.cluster)
      ?.backups.find((backup) => backup.id === op.args.backup)
    const held = backup
      ? (JSON.parse(backup.body) as { workloads: string[]; nodes: string[]; services: string[] })
      : { workloads: [], nodes: [], services: [] }
    return {
      nodes: held.nodes.length,
      workloads: held.workloads.length,
      services: held.services.length,
    }
  },
}

/** The living state store takes a backup’s content: what was made since is gone, what was removed is back. */
export const backupRestore: Behaviour<'backup.restore'> = {
  stages: [
    { seconds: 30, then: (_sim, op) => said('api-held-agents', { cluster: op.args.cluster }) },
    {
      seconds: 45,
      then: (sim, op) => {
        const cluster = clusterOf(sim, op)
        if ('class' in cluster) return cluster
        const backup = cluster.backups.find((backup) => backup.id === op.args.backup)
        if (!backup)
          return permanent(
            'backup-gone',
            said('backup-gone.no-backup', { cluster: cluster.name, backup: op.args.backup }),
          )
        const held = JSON.parse(backup.body) as { namespaces: string[]; workloads: string[] }
        const keep = (workload: Cluster['workloads'][number]): boolean =>
          held.workloads.some((text) =>
            text.startsWith(`${workload.kind}/${workload.namespace}/${workload.name}×`),
          )
        const gone = cluster.workloads.filter((workload) => !keep(workload))
        cluster.workloads = cluster.workloads.filter(keep)
        cluster.running = cluster.running.filter(
          (pod) => !gone.some((workload) => isPodOf(pod, workload)),
        )
        cluster.namespaces = held.namespaces
        const load = loads(cluster)
        for (const workload of cluster.workloads) fillWorkload(sim, cluster, workload, load)
        record(
          sim,
          cluster,
          'Normal',
          'Restored',
          `cluster/${cluster.name}`,
          `from backup ${backup.id}`,
        )
        return said('objects-restored-api', { objects: backup.objects })
      },
    },
  ],
}
