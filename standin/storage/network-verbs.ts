/** The network that copies travel: tried, set, taken up node by node, and watched. */
import type { Behaviour } from '../engine/sim'
import { permanent } from '../failures'
import type { Cluster, OperationFailure } from '../world'
import { isFailure, served, storageOf } from './asked'
import { said } from './says'
import { settleStorage } from './settle'
import { type Copy, isAlive, type Storage } from './state'
import { copyNodes, hindrance, type Hindrance, linkOf } from './ways'

function hindered(cluster: Cluster, network: string, hindrance: Hindrance): OperationFailure {
  const { reason, from, to, sent, taken, says } = hindrance
  const chain = {
    about: `node/${cluster.name}/${to}`,
    ...said('on-the-way', { says }),
  }
  if (reason === 'no-link') return permanent(reason, said('no-link', { node: to, network }), chain)
  return reason === 'packet-too-large'
    ? permanent(reason, said('packet-too-large', { from, to, sent, taken }), chain)
    : permanent(reason, said('peer-unreachable', { from, to, network }), chain)
}

/** The pairs of nodes that keep copies, each both ways. */
const pairsOf = (storage: Storage): readonly (readonly [string, string])[] => {
  const nodes = copyNodes(storage)
  return nodes.flatMap((from) => nodes.flatMap((to) => (from === to ? [] : [[from, to] as const])))
}

export const storagePing: Behaviour<'storage.ping'> = {
  stages: [
    {
      seconds: 12,
      then: (sim, op) => {
        const kept = storageOf(sim, op.args.cluster)
        if (isFailure(kept)) return kept
        const { cluster, storage } = kept
        const { network } = op.args
        for (const [from, to] of pairsOf(storage)) {
          const barred = hindrance(sim, cluster, storage, network, from, to)
          if (barred) return hindered(cluster, network, barred)
        }
        return said('pairs-reached', { pairs: pairsOf(storage).length, network })
      },
    },
  ],
  result: (sim, op) => {
    const kept = storageOf(sim, op.args.cluster)
    return { pairs: isFailure(kept) ? 0 : pairsOf(kept.storage).length }
  },
}

const allOf = (storage: Storage): readonly string[] => storage.volumes.map(({ name }) => name)

export const volumesAwaitDetached: Behaviour<'volumes.await-detached'> = {
  stages: [
    {
      seconds: 6,
      then: (sim, op) => {
        const kept = storageOf(sim, op.args.cluster)
        if (isFailure(kept)) return kept
        const still = served(kept, op.args.volumes)
        if (!still) return said('all-detached')
        return sim.now - op.startedAt > op.args.deadlineSeconds * 1000 ? still : { again: 5 }
      },
    },
  ],
}

const networkBefore = new WeakMap<object, string>()

export const storageNetwork: Behaviour<'storage.network'> = {
  stages: [
    {
      seconds: 3,
      then: (sim, op) => {
        const kept = storageOf(sim, op.args.cluster)
        if (isFailure(kept)) return kept
        const { cluster, storage } = kept
        const { network } = op.args
        const without = copyNodes(storage).find((node) => !linkOf(storage, network, node))
        if (without !== undefined)
          return permanent('no-link', said('no-link', { node: without, network }), {
            about: `node/${cluster.name}/${without}`,
            ...said('not-there'),
          })
        const still = served(kept, allOf(storage))
        if (still) return still
        networkBefore.set(op, storage.network)
        storage.network = network
        sim.touchCluster(cluster.name)
        return said('network-told', { network })
      },
    },
  ],
  result: (_sim, op) => ({ before: networkBefore.get(op) ?? op.args.network }),
}

export const storageRestart: Behaviour<'storage.restart'> = {
  stages: [
    {
      seconds: 14,
      then: (sim, op) => {
        const kept = storageOf(sim, op.args.cluster)
        if (isFailure(kept)) return kept
        const { cluster, storage } = kept
        const { node, network } = op.args
        const link = linkOf(storage, network, node)
        if (!link)
          return permanent('node-gone', said('no-process', { node }), {
            about: `node/${cluster.name}/${node}`,
            ...said('not-there'),
          })
        // A process that serves or keeps a copy of what is served must not change its network under it.
        const held = storage.volumes
          .filter((volume) => volume.replicas.some((copy) => copy.node === node))
          .map(({ name }) => name)
        const still = storage.listens[node] === network ? null : served(kept, held)
        if (still) return still
        storage.listens = { ...storage.listens, [node]: network }
        settleStorage(sim, cluster)
        sim.touchCluster(cluster.name)
        return said('restarted', { node, network, address: link.address })
      },
    },
  ],
}

export const storageLink: Behaviour<'storage.link'> = {
  stages: [
    {
      seconds: 4,
      then: (sim, op) => {
        const kept = storageOf(sim, op.args.cluster)
        if (isFailure(kept)) return kept
        const { cluster, storage } = kept
        const { node, network, mtu } = op.args
        if (!linkOf(storage, network, node))
          return permanent('no-link', said('no-link', { node, network }), {
            about: `node/${cluster.name}/${node}`,
            ...said('not-there'),
          })
        storage.networks = storage.networks.map((entry) =>
          entry.name === network
            ? {
                ...entry,
                links: entry.links.map((link) => (link.node === node ? { ...link, mtu } : link)),
              }
            : entry,
        )
        settleStorage(sim, cluster)
        sim.touchCluster(cluster.name)
        return said('link-set', { node, network, mtu })
      },
    },
  ],
}

/** The connections that copies of a volume keep among themselves, from the address each process listens on. */
function connectionsOf(storage: Storage) {
  const addressOf = (copy: Copy): string =>
    linkOf(storage, storage.listens[copy.node] ?? '', copy.node)?.address ?? ''
  return storage.volumes.flatMap((volume) => {
    const [first, ...others] = volume.replicas.filter(isAlive)
    return first
      ? others
          .filter((copy) => storage.listens[copy.node] === storage.listens[first.node])
          .map((copy) => ({ volume: volume.name, from: addressOf(first), to: addressOf(copy) }))
      : []
  })
}

export const storageWatch: Behaviour<'storage.watch'> = {
  stages: [
    {
      seconds: 30,
      then: (sim, op) => {
        const kept = storageOf(sim, op.args.cluster)
        if (isFailure(kept)) return kept
        return said('connections', { count: connectionsOf(kept.storage).length })
      },
    },
  ],
  result: (sim, op) => {
    const kept = storageOf(sim, op.args.cluster)
    return { connections: isFailure(kept) ? [] : connectionsOf(kept.storage) }
  },
}
