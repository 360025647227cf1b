/** What every verb of the storage begins with: the storage and the volume it is asked of, and whether that is served now. */
import { answering } from '../cluster/api'
import type { Sim } from '../engine/sim'
import { permanent } from '../failures'
import type { Cluster, OperationFailure } from '../world'
import { attachedTo } from './attached'
import { said } from './says'
import type { Storage, StoredVolume } from './state'

export interface Kept {
  readonly cluster: Cluster
  readonly storage: Storage
}

export const isFailure = (given: object): given is OperationFailure =>
  'reason' in given && 'chain' in given

/** The storage of a cluster whose API answers, or why it cannot be asked. */
export function storageOf(sim: Sim, name: string): Kept | OperationFailure {
  const cluster = answering(sim, name)
  if ('class' in cluster) return cluster
  return cluster.storage
    ? { cluster, storage: cluster.storage }
    : permanent('no-storage', said('no-storage', { cluster: name }), {
        about: `cluster/${name}`,
        ...said('no-add-on'),
      })
}

export function volumeOf(
  { cluster, storage }: Kept,
  name: string,
): StoredVolume | OperationFailure {
  return (
    storage.volumes.find((volume) => volume.name === name) ??
    permanent('volume-gone', said('volume-gone', { volume: name }), {
      about: `volume/${cluster.name}/${name}`,
      ...said('not-there'),
    })
  )
}

/** A volume of a storage that can be asked, or why not. */
export function heldVolume(
  sim: Sim,
  args: { readonly cluster: string; readonly volume: string },
): (Kept & { readonly volume: StoredVolume }) | OperationFailure {
  const kept = storageOf(sim, args.cluster)
  if ('class' in kept) return kept
  const volume = volumeOf(kept, args.volume)
  return isFailure(volume) ? volume : { ...kept, volume }
}

/** The volumes of these that are served now, as a failure. */
export function served(
  { cluster, storage }: Kept,
  names: readonly string[],
): OperationFailure | null {
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
