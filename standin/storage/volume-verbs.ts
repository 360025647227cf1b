/** Volumes: grown, kept in more or fewer copies, moved. */
import type { Behaviour } from '../engine/sim'
import { permanent, transient } from '../failures'
import type { Cluster } from '../world'
import { heldVolume, isFailure } from './asked'
import { hasRoom } from './place'
import { said } from './says'
import { settleStorage } from './settle'
import { isAlive, isOn, type StoredVolume } from './state'

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
        sim.touchCluster(cluster.name)
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
            { about: `volume/${cluster.name}/${volume.name}`, ...said('no-disk-takes') },
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
        sim.touchCluster(cluster.name)
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
            { about: `disk/${cluster.name}/${to.node}/${to.disk}`, ...said('does-not-answer') },
          )
        return { again: 10 }
      },
    },
  ],
}
