/** What keeps a cluster alive: certificates renewed, its control-plane data stored away, and a store tried before it is trusted. */
import { permanent } from '../failures'
import type { Behaviour } from '../engine/sim'
import type { Sim } from '../engine/sim'
import type { Cluster, Operation, OperationFailure, Pod, Node } from '../world'
import { answering } from './api'
import { budgetAgainst } from './budgets'
import { suffers, workloadOf } from './fits'
import { fillWorkload, refill } from './controllers'
import { removePod } from './pods'
import { podKey } from './pod-events'
import { loads } from './placing'
import { said } from './says'

/** The cluster that an operation is about, or why there is none. */
export const clusterOf = (
  sim: Sim,
  op: Operation<{ readonly cluster: string }>,
): Cluster | OperationFailure =>
  sim.cluster(op.args.cluster) ??
  permanent('no-cluster', said('no-cluster.there-no-cluster', { cluster: op.args.cluster }), {
    about: `cluster/${op.args.cluster}`,
    ...said('does-not-exist'),
  })

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
        const node = cluster.nodes.find((node) => node.name === op.args.node)
        if (!node) return said('nothing-drain')
        node.cordoned = true
        sim.touchCluster(cluster.name)
        return said('takes-no-new', { node: node.name })
      },
    },
    {
      seconds: 4,
      then: (sim, op) => {
        const cluster = answering(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        const node = cluster.nodes.find((node) => node.name === op.args.node)
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
          return starting ? { again: 5 } : said('empty-but-daemons')
        }
        const lost = node.conditions.some(
          (condition) => condition.type === 'Ready' && condition.status !== 'True',
        )
        const moving = lost
          ? left
          : left.filter((pod) => budgetAgainst(cluster, pod) === undefined).slice(0, 1)
        const since = op.evidence.at(-1)?.at ?? op.startedAt
        const { pastBudgetsAfter } = op.args
        if (
          moving.length === 0 &&
          pastBudgetsAfter !== undefined &&
          sim.now - since >= pastBudgetsAfter * 1000
        )
          moving.push(...left.slice(0, 1))
        if (moving.length === 0) {
          if (pastBudgetsAfter !== undefined) return { again: 10 }
          if (sim.now - since < patienceMs) return { again: 10 }
          const pod = left[0]
          const budget = pod && budgetAgainst(cluster, pod)
          return permanent(
            'eviction-refused',
            said('eviction-refused', { pod: pod ? podKey(pod) : null, node: node.name }),
            {
              about: `poddisruptionbudget/${cluster.name}/${pod?.namespace ?? ''}/${budget?.name ?? ''}`,
              ...said('allows-none'),
            },
            { about: `pod/${cluster.name}/${pod ? podKey(pod) : ''}`, ...said('eviction-denied') },
            {
              about: `node/${cluster.name}/${node.name}`,
              ...said('pods-left', { leftCount: left.length }),
            },
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
                ...said('left', {
                  pod: podKey(pod),
                  node: made.node,
                  successor: podKey(made),
                  waits: made.waits ?? '',
                }),
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
        const node = cluster.nodes.find((node) => node.name === op.args.node)
        if (!node)
          return permanent(
            'node-gone',
            said('node-gone.no-node', { cluster: cluster.name, node: op.args.node }),
            {
              about: `node/${cluster.name}/${op.args.node}`,
              ...said('not-found'),
            },
          )
        node.cordoned = true
        sim.touchCluster(cluster.name)
        return said('takes-no-new', { node: node.name })
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
        const node = cluster.nodes.find((node) => node.name === op.args.node)
        if (!node)
          return permanent(
            'node-gone',
            said('node-gone.no-node', { cluster: cluster.name, node: op.args.node }),
            {
              about: `node/${cluster.name}/${op.args.node}`,
              ...said('not-found'),
            },
          )
        was.set(op, { labels: node.labels, taints: node.taints })
        const taints = op.args.taints === undefined ? node.taints : op.args.taints
        cluster.nodes = cluster.nodes.map((otherNode) =>
          otherNode === node
            ? { ...node, labels: { ...node.labels, ...op.args.labels }, taints }
            : otherNode,
        )
        const gone = cluster.running.filter(
          (pod) => pod.node === node.name && !suffers(cluster, pod, taints),
        )
        for (const pod of gone) removePod(sim, cluster, pod)
        const load = loads(cluster)
        for (const workload of cluster.workloads)
          if (gone.some((pod) => workloadOf(cluster, pod) === workload))
            fillWorkload(sim, cluster, workload, load)
        sim.touchCluster(cluster.name)
        return gone.length === 0 ? said('set') : said('set-pods-do', { goneCount: gone.length })
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
        sim.touchCluster(cluster.name)
        return said('before')
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
        const node = cluster.nodes.find((node) => node.name === op.args.node)
        if (node) node.cordoned = false
        // There is room again for what waits.
        refill(
          sim,
          cluster,
          cluster.running.filter((pod) => pod.node === null),
        )
        sim.touchCluster(cluster.name)
        return node ? said('takes-pods-again', { node: node.name }) : said('no-such-node')
      },
    },
  ],
}

/** The storage class that claims without one get. */
export const classDefault: Behaviour<'class.default'> = {
  stages: [
    {
      seconds: 2,
      then: (sim, op) => {
        const cluster = answering(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        const offered = sim
          .site(cluster.site)
          ?.storageClasses.find((candidate) => candidate.name === op.args.name)
        if (!offered)
          return permanent(
            'storage-unknown',
            said('storage-unknown', { site: cluster.site, name: op.args.name }),
            { about: `site/${cluster.site}`, ...said('no-such-storage') },
          )
        cluster.storageClass = { name: offered.name, zones: offered.zones }
        sim.touchCluster(cluster.name)
        return said('storage-class-claims', { offered: offered.name })
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
          return permanent('last-member', said('last-member', { machine, cluster: cluster.name }), {
            about: `cluster/${cluster.name}`,
            ...said('no-state-store'),
          })
        cluster.members = rest
        sim.touchCluster(cluster.name)
        return said('state-store-members', { restCount: rest.length })
      },
    },
  ],
}
