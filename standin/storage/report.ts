/** The replicated storage of a cluster as it tells of itself. */
import type { StorageReport, VolumeReport } from '../../core/contract'
import { isoTime } from '../../core/units'
import type { Cluster } from '../cluster-state'
import { uniform } from '../engine/random'
import { attachedTo } from './attached'
import { rateOf } from './settle'
import {
  copyPort,
  diskOf,
  freeOn,
  type Storage,
  type StoredVolume,
  toldUsed,
  usedAt,
} from './state'

const dayMs = 86_400_000
/** Days of which midnights are told. */
const toldDays = 30

/** What a volume held at the last midnights: growth is never quite even. */
function samplesOf(seed: number, volume: StoredVolume, now: number): VolumeReport['samples'] {
  const midnight = Math.floor(now / dayMs) * dayMs
  return Array.from({ length: toldDays }, (_, day) => {
    const at = midnight - (toldDays - 1 - day) * dayMs
    const sway = (uniform(seed, `${volume.name}/${at}`) - 0.5) * volume.perDayBytes
    const usedBytes = Math.round(Math.max(0, Math.min(volume.bytes, usedAt(volume, at) + sway)))
    return { at: isoTime(at), usedBytes }
  })
}

export function storageReport(
  world: { readonly seed: number },
  cluster: Cluster,
  storage: Storage,
  now: number,
): StorageReport {
  const attached = attachedTo(cluster, storage)
  const zones = new Map(cluster.nodes.map((node) => [node.name, node.zone]))
  return {
    addOn: storage.addOn,
    plannedPercent: storage.plannedPercent,
    floorPercent: storage.floorPercent,
    rebuild: { atOnce: storage.atOnce, bytesPerSecond: rateOf(storage, storage.network) },
    port: copyPort,
    attachLimit: storage.attachLimit,
    network: storage.network,
    networks: storage.networks,
    listens: Object.entries(storage.listens).map(([node, network]) => ({ node, network })),
    classes: storage.classes,
    disks: storage.disks.map((disk) => ({
      node: disk.node,
      zone: zones.get(disk.node) ?? '',
      name: disk.name,
      bytes: disk.bytes,
      freeBytes: freeOn(storage, disk, now, toldUsed),
      state: stateOf(disk),
    })),
    volumes: storage.volumes.map((volume) => ({
      name: volume.name,
      claim: volume.claim,
      class: volume.class,
      bytes: volume.bytes,
      usedBytes: toldUsed(volume, now),
      copies: volume.copies,
      zones: volume.zones,
      replicas: volume.replicas.map((copy) => ({
        node: copy.node,
        disk: copy.disk,
        state: copyState(copy),
        reason: copy.gone?.reason ?? '',
        since: isoTime(copy.since),
        from: copy.filling?.from ?? null,
        until: copy.filling ? isoTime(copy.filling.endsAt) : null,
        slowness: diskOf(storage, copy)?.slowness ?? 1,
      })),
      attached: attached
        .filter((entry) => entry.volume === volume.name)
        .map(({ node, pod }) => ({ node, pod })),
      samples: samplesOf(world.seed, volume, now),
      snapshots: volume.snapshots.map(({ name, at, usedBytes }) => ({
        name,
        at: isoTime(at),
        usedBytes,
      })),
    })),
  }
}

function stateOf(disk: Storage['disks'][number]): 'ready' | 'retiring' | 'lost' {
  if (disk.lost === true) return 'lost'
  return disk.retiring === true ? 'retiring' : 'ready'
}

function copyState(copy: StoredVolume['replicas'][number]): 'whole' | 'copying' | 'gone' {
  if (copy.gone) return 'gone'
  return copy.whole ? 'whole' : 'copying'
}
