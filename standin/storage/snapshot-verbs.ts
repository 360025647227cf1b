/** Snapshots: taken, given up, put back. */
import { isoTime } from '../../core/units'
import type { Behaviour } from '../engine/sim'
import { permanent } from '../failures'
import { heldVolume, isFailure, served } from './asked'
import { said } from './says'
import { usedAt } from './state'

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
        sim.touchCluster(cluster.name)
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
        sim.touchCluster(cluster.name)
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
        sim.touchCluster(cluster.name)
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
