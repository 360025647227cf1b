/** Disks: taken in, closed to new copies, taken out once empty. */
import type { Behaviour } from '../engine/sim'
import { permanent } from '../failures'
import type { OperationFailure } from '../world'
import { isFailure, type Kept, storageOf } from './asked'
import { said } from './says'
import { settleStorage } from './settle'
import { isOn, type StoreDisk } from './state'

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
        sim.touchCluster(cluster.name)
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
        sim.touchCluster(kept.cluster.name)
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
        sim.touchCluster(cluster.name)
        return said('disk-removed')
      },
    },
  ],
}
