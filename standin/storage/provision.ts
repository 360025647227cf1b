/** Volumes made for claims, and given back with them. */
import type { Cluster, Manifest } from '../cluster-state'
import { record, text } from '../cluster/manifests'
import type { Sim } from '../engine/sim'
import { diskFor } from './place'
import { driverOf, type StoredVolume, type Zones } from './state'

/** The class of the replicated storage by a name, if the cluster has such storage. */
export const storageClassNamed = (cluster: Cluster, name: string) =>
  cluster.storage?.classes.find((candidate) => candidate.name === name)

/** A class that was written for this storage is one of its own from then on; one that was removed no longer. */
export function learnClass(cluster: Cluster, name: string, object: Manifest | null): void {
  const { storage } = cluster
  if (!storage || (object && object['provisioner'] !== driverOf(storage))) return
  const parameters = record(object?.['parameters'])
  const written = text(parameters['zones'])
  const zones: Zones = written === 'required' || written === 'any' ? written : 'preferred'
  storage.classes = [
    ...storage.classes.filter((entry) => entry.name !== name),
    ...(object
      ? [
          {
            name,
            copies: Math.max(1, Number(text(parameters['copies'])) || 1),
            zones,
          },
        ]
      : []),
  ]
}

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
