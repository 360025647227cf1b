/** Replicated storage of a cluster: its volumes, their copies and snapshots, its disks, and the network copies travel. */
import { z } from 'zod'
import { ref } from '../refs'
import { atCluster, clusterSlice } from '../places'
import { verb } from '../verb'

const ofCluster = z.object({ cluster: z.string() })
const ofVolume = ofCluster.extend({ volume: z.string() })
const ofDisk = ofCluster.extend({ node: z.string(), disk: z.string() })

const diskRef = ({ cluster, node, disk }: z.infer<typeof ofDisk>) =>
  ref('disk', cluster, node, disk)

/** Sends packets from every node with copies to every other, as large as the network’s links say they take. */
export const storagePing = verb({
  name: 'storage.ping',
  port: 'cluster',
  args: ofCluster.extend({ network: z.string() }),
  result: z.object({ pairs: z.number() }),
  failures: ['no-storage', 'no-link', 'peer-unreachable', 'packet-too-large'],
  at: atCluster,
  touches: () => [],
})

/** Waits until no node serves one of the volumes. */
export const volumesAwaitDetached = verb({
  name: 'volumes.await-detached',
  port: 'cluster',
  args: ofCluster.extend({ volumes: z.array(z.string()), deadlineSeconds: z.number() }),
  result: z.object({}),
  failures: ['no-storage', 'volume-attached'],
  at: atCluster,
  touches: clusterSlice,
})

/** Tells the storage which network copies are to travel; its processes take it up when they restart. */
export const storageNetwork = verb({
  name: 'storage.network',
  port: 'cluster',
  args: ofCluster.extend({ network: z.string() }),
  result: z.object({ before: z.string() }),
  failures: ['no-storage', 'no-link', 'volume-attached'],
  at: atCluster,
  touches: clusterSlice,
})

/** Restarts the process that keeps a node’s copies. */
export const storageRestart = verb({
  name: 'storage.restart',
  port: 'cluster',
  args: ofCluster.extend({
    node: z.string(),
    /** The network it listens on from then on. */
    network: z.string(),
  }),
  result: z.object({}),
  failures: ['no-storage', 'node-gone', 'volume-attached', 'peer-unreachable'],
  at: atCluster,
  touches: clusterSlice,
})

/** Sets the largest packet that the link of a node to a network takes. */
export const storageLink = verb({
  name: 'storage.link',
  port: 'cluster',
  args: ofCluster.extend({ node: z.string(), network: z.string(), mtu: z.number() }),
  result: z.object({}),
  failures: ['no-storage', 'no-link'],
  at: atCluster,
  touches: clusterSlice,
})

/** Watches between which addresses new connections of copies are made. */
export const storageWatch = verb({
  name: 'storage.watch',
  port: 'cluster',
  args: ofCluster,
  result: z.object({
    connections: z.array(z.object({ volume: z.string(), from: z.string(), to: z.string() })),
  }),
  failures: ['no-storage'],
  at: atCluster,
  touches: () => [],
})

export const volumeSet = verb({
  name: 'volume.set',
  port: 'cluster',
  args: ofVolume.extend({ bytes: z.number().optional(), copies: z.number().optional() }),
  result: z.object({ bytes: z.number(), copies: z.number() }),
  failures: ['no-storage', 'volume-gone', 'volume-shrinks', 'disk-full'],
  at: atCluster,
  touches: clusterSlice,
})

/** Waits until a volume has as many whole copies as it is to have. */
export const volumeAwaitWhole = verb({
  name: 'volume.await-whole',
  port: 'cluster',
  args: ofVolume,
  result: z.object({ copies: z.number() }),
  failures: ['no-storage', 'volume-gone', 'volume-short'],
  at: atCluster,
  touches: clusterSlice,
})

/** Makes one more copy on a disk and, once it is whole, gives up the one it stands for. */
export const volumeMove = verb({
  name: 'volume.move',
  port: 'cluster',
  args: ofVolume.extend({
    from: z.object({ node: z.string(), disk: z.string() }),
    to: z.object({ node: z.string(), disk: z.string() }),
  }),
  result: z.object({}),
  failures: ['no-storage', 'volume-gone', 'no-copy', 'disk-full', 'volume-short'],
  at: atCluster,
  touches: clusterSlice,
})

export const snapshotTake = verb({
  name: 'snapshot.take',
  port: 'cluster',
  args: ofVolume.extend({ snapshot: z.string() }),
  result: z.object({ at: z.string(), usedBytes: z.number() }),
  failures: ['no-storage', 'volume-gone', 'snapshot-exists'],
  at: atCluster,
  touches: clusterSlice,
  makes: ({ cluster, volume, snapshot }) => [ref('snapshot', cluster, volume, snapshot)],
})

export const snapshotRemove = verb({
  name: 'snapshot.remove',
  port: 'cluster',
  args: ofVolume.extend({ snapshot: z.string() }),
  result: z.object({}),
  failures: ['no-storage', 'volume-gone'],
  at: atCluster,
  touches: clusterSlice,
  removes: ({ cluster, volume, snapshot }) => [ref('snapshot', cluster, volume, snapshot)],
})

/** Puts a volume’s data back to what a snapshot holds; nothing may serve it meanwhile. */
export const snapshotRestore = verb({
  name: 'snapshot.restore',
  port: 'cluster',
  args: ofVolume.extend({ snapshot: z.string() }),
  result: z.object({ usedBytes: z.number() }),
  failures: ['no-storage', 'volume-gone', 'snapshot-gone', 'volume-attached'],
  at: atCluster,
  touches: clusterSlice,
})

export const diskAdd = verb({
  name: 'disk.add',
  port: 'cluster',
  args: ofDisk.extend({ bytes: z.number() }),
  result: z.object({}),
  failures: ['no-storage', 'node-gone', 'disk-exists'],
  at: atCluster,
  touches: clusterSlice,
  makes: (args) => [diskRef(args)],
})

/** A disk takes nothing new, or takes copies again. */
export const diskSet = verb({
  name: 'disk.set',
  port: 'cluster',
  args: ofDisk.extend({ retiring: z.boolean() }),
  result: z.object({}),
  failures: ['no-storage', 'no-disk'],
  at: atCluster,
  touches: clusterSlice,
})

/** Takes an empty disk out of the storage. */
export const diskRemove = verb({
  name: 'disk.remove',
  port: 'cluster',
  args: ofDisk,
  result: z.object({}),
  failures: ['no-storage', 'no-disk', 'disk-holds'],
  at: atCluster,
  touches: clusterSlice,
  removes: (args) => [diskRef(args)],
})
