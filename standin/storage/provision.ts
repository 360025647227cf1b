/** Volumes made for claims, and given back with them. */
import type { Cluster } from '../cluster-state'
import type { Sim } from '../engine/sim'
import { diskFor } from './place'
import type { StoredVolume } from './state'

/** The class of the replicated storage by a name, if the cluster has such storage. */
export const storageClassNamed = (cluster: Cluster, name: string) =>
  cluster.storage?.classes.find((candidate) => candidate.name === name)

/** Makes a volume with as many copies as find a place; false where not even one does. */
export function provision(
  sim: Sim,
  cluster: Cluster,
  asked: {
    readonly name: string
    readonly claim: string
    readonly class: string
    readonly bytes: number
  },
): boolean {
  const { storage } = cluster
  const kind = storageClassNamed(cluster, asked.class)
  if (!storage || !kind) return false
  const volume: StoredVolume = {
    ...asked,
    copies: kind.copies,
    zones: kind.zones,
    levels: [{ at: sim.now, usedBytes: 0 }],
    perDayBytes: 0,
    replicas: [],
    snapshots: [],
  }
  storage.volumes = [...storage.volumes, volume]
  while (volume.replicas.length < volume.copies) {
    const disk = diskFor(cluster, storage, volume, sim.now)
    if (!disk) break
    volume.replicas.push({ node: disk.node, disk: disk.name, whole: true, since: sim.now })
  }
  if (volume.replicas.length > 0) return true
  storage.volumes = storage.volumes.filter((candidate) => candidate !== volume)
  return false
}

/** Takes a volume away with all its copies. */
export function unprovision(cluster: Cluster, name: string): void {
  const { storage } = cluster
  if (storage) storage.volumes = storage.volumes.filter((volume) => volume.name !== name)
}
