/** What the changes to replicated storage share: the storage asked for, its volumes, and the frame of their plans. */
import {
  answering,
  type ChangeKind,
  type Fact,
  guardedCluster,
  longestPath,
  noCluster,
  type Plan,
  type RawFinding,
  type Ref,
  ref,
  type Step,
  stop,
} from '../../changes'
import type { StorageReport, VolumeReport } from '../../contract'
import type { Said } from '../../contract'
import { clusterOf, type ClusterView, type FleetView } from '../../fleet'
import { spendUnchanged } from '../../spend'
import { said } from './says'

export interface Kept {
  readonly cluster: ClusterView
  readonly storage: StorageReport
}

/** A draft patched in one place. */
export const patch = (path: string, value: unknown) => ({
  patchDraft: [{ op: 'add' as const, path, value }],
})

export const fact = (cluster: ClusterView, given: Said): Fact => ({
  ...given,
  source: cluster.name,
  at: cluster.observedAt,
})

/** The storage of a cluster, or what stands against it. */
export function keptOf(
  name: string,
  view: FleetView,
): Kept | { readonly findings: readonly RawFinding[] } {
  const cluster = clusterOf(view, name)
  if (!cluster) return { findings: [noCluster(name, view)] }
  const silent = answering(cluster, view)
  if (silent.length > 0) return { findings: silent }
  if (cluster.storage) return { cluster, storage: cluster.storage }
  return {
    findings: [
      stop('storage.none', 'cluster', said('storage.none', { cluster: name }), [
        fact(
          cluster,
          said('storage.add-ons', { addOns: (cluster.addOns ?? []).map((addOn) => addOn.name) }),
        ),
      ]),
    ],
  }
}

/** For plans, which are made only for what a check let pass. */
export function standing(name: string, view: FleetView): Kept {
  const kept = keptOf(name, view)
  if ('findings' in kept) throw new Error('a plan is made only for storage that answers')
  return kept
}

export const volumeNamed = (storage: StorageReport, name: string): VolumeReport | undefined =>
  storage.volumes.find((volume) => volume.name === name)

export function standingVolume(kept: Kept, name: string): VolumeReport {
  const volume = volumeNamed(kept.storage, name)
  if (!volume) throw new Error('a plan is made only for a volume that is there')
  return volume
}

/** A volume of a cluster with its storage, or what stands against it. */
export function askedVolume(
  intent: { readonly cluster: string; readonly volume: string },
  view: FleetView,
): (Kept & { readonly volume: VolumeReport }) | { readonly findings: readonly RawFinding[] } {
  const kept = keptOf(intent.cluster, view)
  if ('findings' in kept) return kept
  const volume = volumeNamed(kept.storage, intent.volume)
  if (volume) return { ...kept, volume }
  return {
    findings: [
      stop(
        'volume.known',
        'volume',
        intent.volume === ''
          ? said('volume.none')
          : said('volume.missing', { cluster: intent.cluster, volume: intent.volume }),
        [
          fact(
            kept.cluster,
            said('volumes', { volumes: kept.storage.volumes.map(({ name }) => name) }),
          ),
        ],
      ),
    ],
  }
}

/** A plan that costs nothing: what it makes and removes is inside the cluster. */
export function planOf(
  cluster: ClusterView,
  view: FleetView,
  steps: readonly Step[],
  refs: {
    readonly creates?: readonly Ref[]
    readonly alters?: readonly Ref[]
    readonly removes?: readonly Ref[]
  },
): Plan {
  return {
    steps,
    creates: refs.creates ?? [],
    alters: refs.alters ?? [],
    removes: refs.removes ?? [],
    ...longestPath(steps),
    spend: spendUnchanged(view, cluster.name),
    reserves: [],
  }
}

/** The view with the storage of a cluster altered. */
export const withStorage = (
  view: FleetView,
  name: string,
  alter: (storage: StorageReport) => StorageReport,
): FleetView => ({
  ...view,
  clusters: view.clusters.map((cluster) =>
    cluster.name === name && cluster.storage
      ? { ...cluster, storage: alter(cluster.storage) }
      : cluster,
  ),
})

/** The same for one volume of it. */
export const withVolume = (
  view: FleetView,
  intent: { readonly cluster: string; readonly volume: string },
  alter: (volume: VolumeReport) => VolumeReport,
): FleetView =>
  withStorage(view, intent.cluster, (storage) => ({
    ...storage,
    volumes: storage.volumes.map((volume) =>
      volume.name === intent.volume ? alter(volume) : volume,
    ),
  }))

/** Seconds that copying so many bytes takes, and at worst. */
export function copySeconds(storage: StorageReport, bytes: number) {
  const likely = Math.ceil(bytes / storage.rebuild.bytesPerSecond) + 10
  return { likely, worst: likely * 2 + 60 }
}

/** Needs, subject and guard of whatever is done to one volume. */
export const onVolume = <Intent extends { readonly cluster: string; readonly volume: string }>() =>
  ({
    needs: (intent) => [`cluster:${intent.cluster}` as const],
    subjects: (intent) => [ref('volume', intent.cluster, intent.volume)],
    guardedBy: (intent, view) => guardedCluster(intent.cluster, view),
  }) satisfies Pick<ChangeKind<Intent>, 'needs' | 'subjects' | 'guardedBy'>
