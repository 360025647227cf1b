/** Where the storage puts a copy: by zone, then on the disk with the most room that is not promised yet. */
import type { Cluster } from '../cluster-state'
import { freeOn, plannedOn, type Storage, type StoreDisk, type StoredVolume } from './state'

const zoneOf = (cluster: Cluster, node: string): string =>
  cluster.nodes.find((candidate) => candidate.name === node)?.zone ?? ''

/** Whether the disk’s node is heard. */
export const isHeard = (cluster: Cluster, node: string): boolean =>
  cluster.nodes
    .find((candidate) => candidate.name === node)
    ?.conditions.some((condition) => condition.type === 'Ready' && condition.status === 'True') ===
  true

/** Whether a copy of so many bytes may be planned on a disk. */
export const hasRoom = (storage: Storage, disk: StoreDisk, bytes: number): boolean =>
  plannedOn(storage, disk) + bytes <= (disk.bytes * storage.plannedPercent) / 100

const canTake = (cluster: Cluster, storage: Storage, disk: StoreDisk, at: number): boolean =>
  disk.lost !== true &&
  disk.retiring !== true &&
  isHeard(cluster, disk.node) &&
  freeOn(storage, disk, at) >= (disk.bytes * storage.floorPercent) / 100

/** The disk for one more copy of a volume, or undefined. Copies that are gone or leaving hold no node and no zone. */
export function diskFor(
  cluster: Cluster,
  storage: Storage,
  volume: StoredVolume,
  at: number,
): StoreDisk | undefined {
  const staying = volume.replicas.filter((copy) => !copy.gone && !copy.leaving)
  const inZone = (zone: string): number =>
    staying.filter((copy) => zoneOf(cluster, copy.node) === zone).length
  const rank = (disk: StoreDisk): number =>
    volume.zones === 'any' ? 0 : inZone(zoneOf(cluster, disk.node))
  const roomOf = (disk: StoreDisk): number =>
    (disk.bytes * storage.plannedPercent) / 100 - plannedOn(storage, disk)
  return storage.disks
    .filter(
      (disk) =>
        canTake(cluster, storage, disk, at) &&
        !volume.replicas.some((copy) => !copy.gone && copy.node === disk.node) &&
        (volume.zones !== 'required' || inZone(zoneOf(cluster, disk.node)) === 0) &&
        hasRoom(storage, disk, volume.bytes),
    )
    .sort(
      (a, b) =>
        rank(a) - rank(b) ||
        roomOf(b) - roomOf(a) ||
        (a.node < b.node ? -1 : Number(a.node > b.node)) ||
        (a.name < b.name ? -1 : 1),
    )[0]
}
