/** What can be asked of a cluster’s replicated storage. */
import { isoTime } from '../../core/units'
import { answering } from '../cluster/api'
import { permanent, transient } from '../failures'
import type { Behaviour, Sim } from '../engine/sim'
import type { Cluster, OperationFailure } from '../world'
import { attachedTo } from './attached'
import { hasRoom } from './place'
import { said } from './says'
import { settleStorage } from './settle'
import {
  type Copy,
  isAlive,
  isOn,
  type Storage,
  type StoreDisk,
  type StoredVolume,
  usedAt,
} from './state'
import { copyNodes, hindrance, type Hindrance, linkOf } from './ways'

interface Kept {
  readonly cluster: Cluster
  readonly storage: Storage
}

const isFailure = (given: object): given is OperationFailure =>
  'reason' in given && 'chain' in given

/** The storage of a cluster whose API answers, or why it cannot be asked. */
function storageOf(sim: Sim, name: string): Kept | OperationFailure {
  const cluster = answering(sim, name)
  if ('class' in cluster) return cluster
  return cluster.storage
    ? { cluster, storage: cluster.storage }
    : permanent('no-storage', said('no-storage', { cluster: name }), {
        about: `cluster/${name}`,
        ...said('no-add-on'),
      })
}

function volumeOf({ cluster, storage }: Kept, name: string): StoredVolume | OperationFailure {
  return (
    storage.volumes.find((volume) => volume.name === name) ??
    permanent('volume-gone', said('volume-gone', { volume: name }), {
      about: `volume/${cluster.name}/${name}`,
      ...said('not-there'),
    })
  )
}

/** A volume of a storage that can be asked, or why not. */
function heldVolume(
  sim: Sim,
  args: { readonly cluster: string; readonly volume: string },
): (Kept & { readonly volume: StoredVolume }) | OperationFailure {
  const kept = storageOf(sim, args.cluster)
  if ('class' in kept) return kept
  const volume = volumeOf(kept, args.volume)
  return isFailure(volume) ? volume : { ...kept, volume }
}

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

/** The volumes of these that are served now, as a failure. */
function served({ cluster, storage }: Kept, names: readonly string[]): OperationFailure | null {
  const attached = attachedTo(cluster, storage).filter(({ volume }) => names.includes(volume))
  if (attached.length === 0) return null
  return permanent(
    'volume-attached',
    said('volume-attached', { volumes: [...new Set(attached.map(({ volume }) => volume))] }),
    ...attached.slice(0, 8).map(({ volume, node, pod }) => ({
      about: `pod/${cluster.name}/${pod}`,
      ...said('served-for', { volume, node, pod }),
    })),
  )
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
        sim.touch(`cluster:${cluster.name}`)
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
        sim.touch(`cluster:${cluster.name}`)
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
        sim.touch(`cluster:${cluster.name}`)
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

const volumeBefore = new WeakMap<object, { readonly bytes: number; readonly copies: number }>()

export const volumeSet: Behaviour<'volume.set'> = {
  stages: [
    {
      seconds: 4,
      then: (sim, op) => {
        const held = heldVolume(sim, op.args)
        if (isFailure(held)) return held
        const { cluster, storage, volume } = held
        const { bytes = volume.bytes, copies = volume.copies } = op.args
        if (bytes < volume.bytes)
          return permanent(
            'volume-shrinks',
            said('volume-shrinks', { volume: volume.name, bytes: volume.bytes }),
          )
        const tight = storage.disks.find(
          (disk) =>
            volume.replicas.some((copy) => isOn(copy, disk)) &&
            !hasRoom(storage, disk, bytes - volume.bytes),
        )
        if (tight && bytes > volume.bytes)
          return permanent('disk-full', said('disk-full', { node: tight.node, disk: tight.name }))
        volumeBefore.set(op, { bytes: volume.bytes, copies: volume.copies })
        volume.bytes = bytes
        volume.copies = copies
        growObjects(cluster, volume)
        settleStorage(sim, cluster)
        sim.touch(`cluster:${cluster.name}`)
        return said('volume-set', { volume: volume.name, bytes, copies })
      },
    },
  ],
  result: (_sim, op) => volumeBefore.get(op) ?? { bytes: 0, copies: 0 },
}

/** The volume’s object and its claim tell the size that it has now. */
function growObjects(cluster: Cluster, volume: StoredVolume): void {
  const storage = String(volume.bytes)
  cluster.objects = (cluster.objects ?? []).map((object) => {
    const { kind, metadata } = object
    const spec = object['spec'] as Readonly<Record<string, unknown>> | undefined
    if (kind === 'PersistentVolume' && metadata.name === volume.name)
      return { ...object, spec: { ...spec, capacity: { storage } } }
    if (
      kind === 'PersistentVolumeClaim' &&
      `${metadata.namespace ?? 'default'}/${metadata.name}` === volume.claim
    )
      return {
        ...object,
        spec: { ...spec, resources: { requests: { storage } } },
        status: { phase: 'Bound', capacity: { storage } },
      }
    return object
  })
}

const wholeCopies = (volume: StoredVolume): number =>
  volume.replicas.filter((copy) => copy.whole && isAlive(copy) && copy.leaving !== true).length

export const volumeAwaitWhole: Behaviour<'volume.await-whole'> = {
  stages: [
    {
      seconds: 3,
      then: (sim, op) => {
        const held = heldVolume(sim, op.args)
        if (isFailure(held)) return held
        const { cluster, volume } = held
        settleStorage(sim, cluster)
        const whole = wholeCopies(volume)
        if (whole >= volume.copies)
          return said('volume-whole', { volume: volume.name, copies: whole })
        const coming = volume.replicas.some((copy) => isAlive(copy) && !copy.whole)
        if (!coming && sim.now - op.startedAt > 120_000)
          return transient(
            'volume-short',
            said('volume-short', { volume: volume.name, whole, copies: volume.copies }),
            { about: `volume/${cluster.name}/${volume.name}`, ...said('not-there') },
          )
        return { again: 10 }
      },
    },
  ],
  result: (sim, op) => {
    const held = heldVolume(sim, op.args)
    return { copies: isFailure(held) ? 0 : wholeCopies(held.volume) }
  },
}

export const volumeMove: Behaviour<'volume.move'> = {
  stages: [
    {
      seconds: 3,
      then: (sim, op) => {
        const held = heldVolume(sim, op.args)
        if (isFailure(held)) return held
        const { cluster, storage, volume } = held
        const { from, to } = op.args
        const leaving = volume.replicas.find(
          (copy) => copy.node === from.node && copy.disk === from.disk,
        )
        const disk = storage.disks.find(
          (candidate) => candidate.node === to.node && candidate.name === to.disk,
        )
        if (!leaving)
          return volume.replicas.some((copy) => disk && isOn(copy, disk))
            ? said('moved', { volume: volume.name, ...to })
            : permanent('no-copy', said('no-copy', { volume: volume.name, ...from }))
        if (!disk || disk.lost === true || !hasRoom(storage, disk, volume.bytes))
          return permanent('disk-full', said('disk-full', { ...to }))
        leaving.leaving = true
        if (!volume.replicas.some((copy) => isOn(copy, disk)))
          volume.replicas.push({ node: to.node, disk: to.disk, whole: false, since: sim.now })
        settleStorage(sim, cluster)
        sim.touch(`cluster:${cluster.name}`)
        return undefined
      },
    },
    {
      seconds: 3,
      then: (sim, op) => {
        const held = heldVolume(sim, op.args)
        if (isFailure(held)) return held
        const { volume, cluster } = held
        const { to } = op.args
        const arrived = volume.replicas.find(
          (copy) => copy.node === to.node && copy.disk === to.disk,
        )
        if (arrived?.whole && !arrived.gone) return said('moved', { volume: volume.name, ...to })
        if (!arrived || arrived.gone)
          return transient(
            'volume-short',
            said('volume-short', {
              volume: volume.name,
              whole: wholeCopies(volume),
              copies: volume.copies,
            }),
            { about: `disk/${cluster.name}/${to.node}/${to.disk}`, ...said('not-there') },
          )
        return { again: 10 }
      },
    },
  ],
}

export const snapshotTake: Behaviour<'snapshot.take'> = {
  stages: [
    {
      seconds: 5,
      then: (sim, op) => {
        const held = heldVolume(sim, op.args)
        if (isFailure(held)) return held
        const { cluster, volume } = held
        const { snapshot } = op.args
        if (volume.snapshots.some(({ name }) => name === snapshot))
          return permanent(
            'snapshot-exists',
            said('snapshot-exists', { volume: volume.name, snapshot }),
          )
        const usedBytes = usedAt(volume, sim.now)
        volume.snapshots = [...volume.snapshots, { name: snapshot, at: sim.now, usedBytes }]
        sim.touch(`cluster:${cluster.name}`)
        return said('snapshot-taken', { snapshot, bytes: usedBytes })
      },
    },
  ],
  result: (sim, op) => {
    const held = heldVolume(sim, op.args)
    const taken = isFailure(held)
      ? undefined
      : held.volume.snapshots.find(({ name }) => name === op.args.snapshot)
    return { at: isoTime(taken?.at ?? sim.now), usedBytes: taken?.usedBytes ?? 0 }
  },
}

export const snapshotRemove: Behaviour<'snapshot.remove'> = {
  stages: [
    {
      seconds: 4,
      then: (sim, op) => {
        const held = heldVolume(sim, op.args)
        if (isFailure(held)) return held
        const { cluster, volume } = held
        volume.snapshots = volume.snapshots.filter(({ name }) => name !== op.args.snapshot)
        sim.touch(`cluster:${cluster.name}`)
        return said('snapshot-removed')
      },
    },
  ],
}

export const snapshotRestore: Behaviour<'snapshot.restore'> = {
  stages: [
    {
      seconds: 20,
      then: (sim, op) => {
        const held = heldVolume(sim, op.args)
        if (isFailure(held)) return held
        const { cluster, volume } = held
        const snapshot = volume.snapshots.find(({ name }) => name === op.args.snapshot)
        if (!snapshot)
          return permanent(
            'snapshot-gone',
            said('snapshot-gone', { volume: volume.name, snapshot: op.args.snapshot }),
          )
        const still = served(held, [volume.name])
        if (still) return still
        volume.levels = [...volume.levels, { at: sim.now, usedBytes: snapshot.usedBytes }]
        sim.touch(`cluster:${cluster.name}`)
        return said('restored', {
          volume: volume.name,
          snapshot: snapshot.name,
          bytes: snapshot.usedBytes,
        })
      },
    },
  ],
  result: (sim, op) => {
    const held = heldVolume(sim, op.args)
    return { usedBytes: isFailure(held) ? 0 : usedAt(held.volume, sim.now) }
  },
}

function diskNamed(
  { cluster, storage }: Kept,
  args: { readonly node: string; readonly disk: string },
): StoreDisk | OperationFailure {
  return (
    storage.disks.find((disk) => disk.node === args.node && disk.name === args.disk) ??
    permanent('no-disk', said('no-disk', { node: args.node, disk: args.disk }), {
      about: `disk/${cluster.name}/${args.node}/${args.disk}`,
      ...said('not-there'),
    })
  )
}

export const diskAdd: Behaviour<'disk.add'> = {
  stages: [
    {
      seconds: 8,
      then: (sim, op) => {
        const kept = storageOf(sim, op.args.cluster)
        if (isFailure(kept)) return kept
        const { cluster, storage } = kept
        const { node, disk, bytes } = op.args
        if (!cluster.nodes.some((candidate) => candidate.name === node))
          return permanent('node-gone', said('no-process', { node }))
        if (!isFailure(diskNamed(kept, op.args)))
          return permanent('disk-exists', said('disk-exists', { node, disk }))
        storage.disks = [...storage.disks, { node, name: disk, bytes, otherBytes: 0 }]
        storage.listens = { [node]: storage.network, ...storage.listens }
        settleStorage(sim, cluster)
        sim.touch(`cluster:${cluster.name}`)
        return said('disk-added', { disk: `${node}/${disk}`, bytes })
      },
    },
  ],
}

export const diskSet: Behaviour<'disk.set'> = {
  stages: [
    {
      seconds: 2,
      then: (sim, op) => {
        const kept = storageOf(sim, op.args.cluster)
        if (isFailure(kept)) return kept
        const disk = diskNamed(kept, op.args)
        if (isFailure(disk)) return disk
        if (op.args.retiring) disk.retiring = true
        else delete disk.retiring
        sim.touch(`cluster:${kept.cluster.name}`)
        return said('disk-set', { disk: `${disk.node}/${disk.name}`, retiring: op.args.retiring })
      },
    },
  ],
}

export const diskRemove: Behaviour<'disk.remove'> = {
  stages: [
    {
      seconds: 4,
      then: (sim, op) => {
        const kept = storageOf(sim, op.args.cluster)
        if (isFailure(kept)) return kept
        const { cluster, storage } = kept
        const disk = diskNamed(kept, op.args)
        if (isFailure(disk)) return disk
        const volumes = storage.volumes
          .filter((volume) => volume.replicas.some((copy) => isOn(copy, disk)))
          .map(({ name }) => name)
        if (volumes.length > 0)
          return permanent(
            'disk-holds',
            said('disk-holds', { node: disk.node, disk: disk.name, volumes }),
          )
        storage.disks = storage.disks.filter((candidate) => candidate !== disk)
        sim.touch(`cluster:${cluster.name}`)
        return said('disk-removed')
      },
    },
  ],
}
