/** What keeps a cluster alive: certificates renewed, its control-plane data stored away, and a store tried before it is trusted. */
import { permanent } from '../failures'
import type { Behaviour } from '../engine/sim'
import type { Sim } from '../engine/sim'
import { healed } from '../sites/ground'
import type { Cluster, Operation, OperationFailure, Pod, Node } from '../world'
import { answering } from './api'
import { isReadyPod, podLabels, record as fields, text } from './manifests'
import { suffers, workloadOf } from './fits'
import { fillWorkload, loads, podKey, record, removePod } from './pods'

const known = (sim: Sim, op: Operation<{ readonly cluster: string }>): Cluster | OperationFailure =>
  sim.cluster(op.args.cluster) ??
  permanent('no-cluster', `There is no cluster ${op.args.cluster}.`, {
    about: `cluster/${op.args.cluster}`,
    says: 'does not exist',
  })

export const certificatesRenew: Behaviour<'certificates.renew'> = {
  stages: [
    {
      seconds: 20,
      then: (_sim, op) => `new key and request for ${op.args.cluster}, signed by its authority`,
    },
    {
      seconds: 40,
      then: (sim, op) => {
        const cluster = known(sim, op)
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
        sim.touch(`cluster:${cluster.name}`)
        return `control plane restarted one by one, valid until ${new Date(cluster.certificatesUntil).toISOString().slice(0, 10)}`
      },
    },
  ],
  result: (sim, op) => ({ until: sim.cluster(op.args.cluster)?.certificatesUntil ?? 0 }),
}

/** The state store’s content, in a form that can be laid beside the living one. */
function contentOf(cluster: Cluster): { body: string; objects: number } {
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
          ...cluster.backups.filter((other) => other.id !== id),
          { id, at: sim.now, bytes, objects, body },
        ].slice(-20)
        sim.touch(`cluster:${cluster.name}`)
        return `${objects} objects, ${(bytes / 1e6).toFixed(1)} MB, at revision ${cluster.nextName * 7 + cluster.events.length}`
      },
    },
  ],
  result: (sim, op) => {
    const backup = sim
      .cluster(op.args.cluster)
      ?.backups.find((other) => other.id === op.args.backup)
    return { objects: backup?.objects ?? 0, bytes: backup?.bytes ?? 0 }
  },
}

/** Restores into a state store set up beside, and compares what it then holds. */
export const backupTry: Behaviour<'backup.try'> = {
  stages: [
    {
      seconds: 25,
      then: (sim, op) => {
        const cluster = known(sim, op)
        if ('class' in cluster) return cluster
        const backup = cluster.backups.find((other) => other.id === op.args.backup)
        return backup
          ? `${backup.objects} objects read into an empty state store beside`
          : permanent('backup-gone', `${cluster.name} has no backup ${op.args.backup}.`, {
              about: `backup/${cluster.name}/${op.args.backup}`,
              says: 'not found',
            })
      },
    },
    {
      seconds: 20,
      then: (sim, op) => {
        const cluster = known(sim, op)
        if ('class' in cluster) return cluster
        const backup = cluster.backups.find((other) => other.id === op.args.backup)
        const held = backup
          ? (JSON.parse(backup.body) as { workloads: string[]; nodes: string[] })
          : null
        return held
          ? `answers: ${held.nodes.length} nodes, ${held.workloads.length} workloads; put away again`
          : permanent('backup-gone', 'The backup is gone.')
      },
    },
  ],
  result: (sim, op) => {
    const backup = sim
      .cluster(op.args.cluster)
      ?.backups.find((other) => other.id === op.args.backup)
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
    { seconds: 30, then: (_sim, op) => `API of ${op.args.cluster} held, agents wait` },
    {
      seconds: 45,
      then: (sim, op) => {
        const cluster = known(sim, op)
        if ('class' in cluster) return cluster
        const backup = cluster.backups.find((other) => other.id === op.args.backup)
        if (!backup)
          return permanent('backup-gone', `${cluster.name} has no backup ${op.args.backup}.`)
        const held = JSON.parse(backup.body) as { namespaces: string[]; workloads: string[] }
        const keep = (workload: Cluster['workloads'][number]): boolean =>
          held.workloads.some((text) =>
            text.startsWith(`${workload.kind}/${workload.namespace}/${workload.name}×`),
          )
        const gone = cluster.workloads.filter((workload) => !keep(workload))
        cluster.workloads = cluster.workloads.filter(keep)
        cluster.running = cluster.running.filter(
          (pod) =>
            !gone.some(
              (workload) => workload.name === pod.workload && workload.namespace === pod.namespace,
            ),
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
        return `${backup.objects} objects restored, API answers`
      },
    },
  ],
}

interface Budget {
  readonly name: string
  readonly allows: boolean
}

/** The budgets a pod is under, and whether each lets one go now. */
function budgetsOver(cluster: Cluster, pod: Pod): readonly Budget[] {
  const labels = podLabels(workloadOf(cluster, pod), pod)
  return (cluster.objects ?? []).flatMap((object): readonly Budget[] => {
    if (object.kind !== 'PodDisruptionBudget' || object.metadata.namespace !== pod.namespace)
      return []
    const spec = fields(object['spec'])
    const selector = Object.entries(fields(fields(spec['selector'])['matchLabels']))
    const covers = (other: Pod): boolean => {
      const theirs = podLabels(workloadOf(cluster, other), other)
      return (
        other.namespace === pod.namespace && selector.every(([key, value]) => theirs[key] === value)
      )
    }
    if (!selector.every(([key, value]) => labels[key] === value)) return []
    const covered = cluster.running.filter(covers)
    const owners = new Set(covered.map((other) => workloadOf(cluster, other)))
    const expected = [...owners].reduce((sum, workload) => sum + (workload?.replicas ?? 0), 0)
    const part = (given: unknown): number =>
      typeof given === 'number'
        ? given
        : Math.ceil((Number(text(given).replace('%', '')) * expected) / 100)
    const desired =
      spec['minAvailable'] === undefined
        ? expected - part(spec['maxUnavailable'] ?? 0)
        : part(spec['minAvailable'])
    return [
      { name: object.metadata.name, allows: covered.filter(isReadyPod).length - desired >= 1 },
    ]
  })
}

/** How long a drain waits for a budget that does not let go (ms). */
const patienceMs = 300_000

/** Cordons a node and moves its pods away, one after another as budgets let them go; what nothing else takes waits with its reason. */
export const nodeDrain: Behaviour<'node.drain'> = {
  stages: [
    {
      seconds: 3,
      then: (sim, op) => {
        const cluster = answering(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        const node = cluster.nodes.find((other) => other.name === op.args.node)
        if (!node) return 'nothing to drain'
        node.cordoned = true
        sim.touch(`cluster:${cluster.name}`)
        return `${node.name} takes no new pods`
      },
    },
    {
      seconds: 4,
      then: (sim, op) => {
        const cluster = answering(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        const node = cluster.nodes.find((other) => other.name === op.args.node)
        if (!node) return undefined
        const stays = (pod: Pod): boolean =>
          workloadOf(cluster, pod)?.kind === 'DaemonSet' || pod.phase === 'Succeeded'
        const left = cluster.running
          .filter((pod) => pod.node === node.name && !stays(pod))
          .sort((a, b) => (podKey(a) < podKey(b) ? -1 : 1))
        if (left.length === 0) {
          // The last ones are waited for as all others were.
          const starting = cluster.running.some(
            (pod) => pod.node !== null && pod.phase === 'Pending' && !pod.trouble,
          )
          return starting ? { again: 5 } : 'empty but for its daemons'
        }
        const lost = node.conditions.some(
          (condition) => condition.type === 'Ready' && condition.status !== 'True',
        )
        const moving = lost
          ? left
          : left
              .filter((pod) => budgetsOver(cluster, pod).every((budget) => budget.allows))
              .slice(0, 1)
        const since = op.evidence.at(-1)?.at ?? op.startedAt
        if (moving.length === 0) {
          if (sim.now - since < patienceMs) return { again: 10 }
          const pod = left[0]
          const budget = pod ? budgetsOver(cluster, pod).find((one) => !one.allows) : undefined
          return permanent(
            'eviction-refused',
            `${pod ? podKey(pod) : 'A pod'} does not leave ${node.name}: its disruption budget does not let it go.`,
            {
              about: `poddisruptionbudget/${cluster.name}/${pod?.namespace ?? ''}/${budget?.name ?? ''}`,
              says: 'allows none',
            },
            { about: `pod/${cluster.name}/${pod ? podKey(pod) : ''}`, says: 'eviction refused' },
            { about: `node/${cluster.name}/${node.name}`, says: `${left.length} pods left` },
          )
        }
        const load = loads(cluster)
        for (const pod of moving) {
          removePod(sim, cluster, pod)
          const workload = workloadOf(cluster, pod)
          if (workload)
            for (const made of fillWorkload(sim, cluster, workload, load))
              op.evidence.push({
                at: sim.now,
                says: `${podKey(pod)} left${made.node === null ? `, ${podKey(made)} waits: ${made.waits ?? ''}` : `, ${podKey(made)} to ${made.node}`}`,
              })
        }
        return { again: 5 }
      },
    },
  ],
}

export const nodeCordon: Behaviour<'node.cordon'> = {
  stages: [
    {
      seconds: 2,
      then: (sim, op) => {
        const cluster = answering(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        const node = cluster.nodes.find((other) => other.name === op.args.node)
        if (!node)
          return permanent('node-gone', `${cluster.name} has no node ${op.args.node}.`, {
            about: `node/${cluster.name}/${op.args.node}`,
            says: 'not found',
          })
        node.cordoned = true
        sim.touch(`cluster:${cluster.name}`)
        return `${node.name} takes no new pods`
      },
    },
  ],
}

/** Other labels and taints on a node; pods that a new NoExecute taint does not suffer end. */
export const nodeSet: Behaviour<'node.set'> = {
  stages: [
    {
      seconds: 2,
      then: (sim, op) => {
        const cluster = answering(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        const node = cluster.nodes.find((other) => other.name === op.args.node)
        if (!node)
          return permanent('node-gone', `${cluster.name} has no node ${op.args.node}.`, {
            about: `node/${cluster.name}/${op.args.node}`,
            says: 'not found',
          })
        was.set(op, { labels: node.labels, taints: node.taints })
        const taints = op.args.taints === undefined ? node.taints : op.args.taints
        cluster.nodes = cluster.nodes.map((other) =>
          other === node
            ? { ...node, labels: { ...node.labels, ...op.args.labels }, taints }
            : other,
        )
        const gone = cluster.running.filter(
          (pod) => pod.node === node.name && !suffers(cluster, pod, taints),
        )
        for (const pod of gone) removePod(sim, cluster, pod)
        const load = loads(cluster)
        for (const workload of cluster.workloads)
          if (gone.some((pod) => workloadOf(cluster, pod) === workload))
            fillWorkload(sim, cluster, workload, load)
        sim.touch(`cluster:${cluster.name}`)
        return gone.length === 0 ? 'set' : `set; ${gone.length} pods that do not tolerate it ended`
      },
    },
  ],
  result: (_sim, op) => ({ before: was.get(op) ?? null }),
}

const was = new WeakMap<object, Pick<Node, 'labels' | 'taints'>>()

export const nodePutBack: Behaviour<'node.put-back'> = {
  stages: [
    {
      seconds: 2,
      then: (sim, op) => {
        const cluster = answering(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        const before = op.args.before ?? { labels: {}, taints: [] }
        cluster.nodes = cluster.nodes.map((node) =>
          node.name === op.args.node
            ? {
                ...node,
                labels: before.labels,
                taints: before.taints,
              }
            : node,
        )
        sim.touch(`cluster:${cluster.name}`)
        return 'as before'
      },
    },
  ],
}

export const nodeUncordon: Behaviour<'node.uncordon'> = {
  stages: [
    {
      seconds: 2,
      then: (sim, op) => {
        const cluster = answering(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        const node = cluster.nodes.find((other) => other.name === op.args.node)
        if (node) node.cordoned = false
        // There is room again for what waits.
        const load = loads(cluster)
        for (const workload of cluster.workloads)
          if (
            cluster.running.some(
              (pod) =>
                pod.node === null &&
                pod.workload === workload.name &&
                pod.namespace === workload.namespace,
            )
          )
            fillWorkload(sim, cluster, workload, load)
        sim.touch(`cluster:${cluster.name}`)
        return node ? `${node.name} takes pods again` : 'no such node'
      },
    },
  ],
}

/** The storage class that claims without one get. */
export const storageClass: Behaviour<'storage.class'> = {
  stages: [
    {
      seconds: 2,
      then: (sim, op) => {
        const cluster = answering(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        const offered = sim
          .site(cluster.site)
          ?.storageClasses.find((one) => one.name === op.args.name)
        if (!offered)
          return permanent(
            'storage-unknown',
            `${cluster.site} offers no storage class ${op.args.name}.`,
            { about: `site/${cluster.site}`, says: 'no such storage class' },
          )
        cluster.storageClass = { name: offered.name, zones: offered.zones }
        sim.touch(`cluster:${cluster.name}`)
        return `${offered.name} is the storage class of claims without one`
      },
    },
  ],
}

/** A machine leaves the control plane; the others must be a majority without it. */
export const memberLeave: Behaviour<'member.leave'> = {
  stages: [
    {
      seconds: 25,
      then: (sim, op) => {
        const cluster = answering(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        const machine = op.args.machine
        const rest = cluster.members.filter((member) => member !== machine)
        if (rest.length === 0)
          return permanent(
            'last-member',
            `${machine} is the only control-plane machine of ${cluster.name}.`,
            { about: `cluster/${cluster.name}`, says: 'would have no state store' },
          )
        cluster.members = rest
        sim.touch(`cluster:${cluster.name}`)
        return `state store has ${rest.length} members`
      },
    },
  ],
}
