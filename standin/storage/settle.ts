/**
 * What the storage does by itself: sees that copies do not answer, waits a while, makes others in their place over the
 * network, a few at a time, the longest first, and gives up what is not needed any more.
 */
import type { Cluster } from '../cluster-state'
import { record } from '../cluster/pod-events'
import type { Sim } from '../engine/sim'
import { diskFor, isHeard } from './place'
import { serveVolumes } from './serve'
import {
  type Copy,
  diskOf,
  freeOn,
  isAlive,
  type Storage,
  type StoredVolume,
  tellMs,
  usedAt,
} from './state'
import { hindrance } from './ways'

/** How long a copy that does not answer is waited for before another is made (ms). */
export const patienceMs = 60_000
/** How long until a way that is barred is tried again (ms). */
const tryAgainMs = 60_000

/** Why a copy does not answer, or null. */
function silence(sim: Sim, cluster: Cluster, storage: Storage, copy: Copy): string | null {
  const disk = diskOf(storage, copy)
  if (!disk) return 'its disk was taken out'
  if (!isHeard(cluster, copy.node)) return 'its node does not answer'
  if (disk.lost === true) return 'its disk does not answer'
  if (disk.full === true && freeOn(storage, disk, sim.now) === 0) return 'no space left on its disk'
  return null
}

const label = (copy: Copy): string => `${copy.node}/${copy.disk}`

/** Marks what has fallen silent and what speaks again. */
function listen(sim: Sim, cluster: Cluster, storage: Storage): boolean {
  let altered = false
  for (const volume of storage.volumes)
    for (const copy of volume.replicas) {
      const why = silence(sim, cluster, storage, copy)
      if (why !== null && !copy.gone) {
        copy.gone = { since: sim.now, reason: why }
        copy.since = sim.now
        delete copy.filling
        record(
          sim,
          cluster,
          'Warning',
          'CopyGone',
          `volume/${volume.name}`,
          `the copy on ${label(copy)} does not answer: ${why}`,
        )
        altered = true
      } else if (why === null && copy.gone) {
        delete copy.gone
        copy.since = sim.now
        altered = true
      }
    }
  return altered
}

/** Copies that are filled and wait for nothing become whole; those whose source fell silent begin again. */
function fill(sim: Sim, cluster: Cluster, volume: StoredVolume): boolean {
  let altered = false
  for (const copy of volume.replicas) {
    if (!copy.filling || copy.gone) continue
    const source = volume.replicas.find((candidate) => label(candidate) === copy.filling?.from)
    if (!source || !isAlive(source)) {
      delete copy.filling
      altered = true
    } else if (copy.filling.endsAt <= sim.now) {
      delete copy.filling
      copy.whole = true
      copy.since = sim.now
      record(
        sim,
        cluster,
        'Normal',
        'CopyWhole',
        `volume/${volume.name}`,
        `the copy on ${label(copy)} is whole`,
      )
      altered = true
    }
  }
  return altered
}

const wantedStay = (copy: Copy): boolean => isAlive(copy) && copy.leaving !== true

/** Gives up what is leaving, gone, or one too many, once enough others are whole. */
function giveUp(volume: StoredVolume): boolean {
  const whole = volume.replicas.filter((copy) => wantedStay(copy) && copy.whole)
  if (whole.length < volume.copies) return false
  const kept = whole
    .sort((a, b) => a.since - b.since)
    .slice(0, volume.copies)
    .map(label)
  const before = volume.replicas.length
  volume.replicas = volume.replicas.filter((copy) => kept.includes(label(copy)))
  return volume.replicas.length !== before
}

/** Plans a copy for each that is missing; gives when the next may be planned. */
function plan(sim: Sim, cluster: Cluster, storage: Storage): { altered: boolean; at: number } {
  let altered = false
  let at = Infinity
  for (const volume of [...storage.volumes].sort((a, b) => (a.name < b.name ? -1 : 1))) {
    if (!volume.replicas.some((copy) => isAlive(copy) && copy.whole)) continue
    const silent = volume.replicas.filter((copy) => copy.gone && copy.leaving !== true)
    const awaited = silent.filter((copy) => sim.now - (copy.gone?.since ?? 0) < patienceMs)
    for (const copy of awaited) at = Math.min(at, (copy.gone?.since ?? 0) + patienceMs)
    let missing = volume.copies - volume.replicas.filter(wantedStay).length - awaited.length
    for (; missing > 0; missing--) {
      const disk = diskFor(cluster, storage, volume, sim.now)
      if (!disk) break
      volume.replicas.push({ node: disk.node, disk: disk.name, whole: false, since: sim.now })
      altered = true
    }
  }
  return { altered, at }
}

interface Waiting {
  readonly volume: StoredVolume
  readonly copy: Copy
  readonly bytes: number
}

/** Starts copies while there are lanes free, the longest first; gives when to look again. */
function copyOver(sim: Sim, cluster: Cluster, storage: Storage): { altered: boolean; at: number } {
  const all = storage.volumes.flatMap((volume) =>
    volume.replicas.map((copy): Waiting => ({ volume, copy, bytes: usedAt(volume, sim.now) })),
  )
  const running = all.filter(({ copy }) => copy.filling)
  let free = storage.atOnce - running.length
  let at = Math.min(...running.map(({ copy }) => copy.filling?.endsAt ?? Infinity))
  let altered = false
  const waiting = all
    .filter(({ copy }) => isAlive(copy) && !copy.whole && !copy.filling)
    .sort((a, b) => b.bytes - a.bytes || (a.volume.name < b.volume.name ? -1 : 1))
  for (const { volume, copy, bytes } of waiting) {
    if (free <= 0) break
    const source = volume.replicas.find(
      (candidate) =>
        isAlive(candidate) &&
        candidate.whole &&
        storage.listens[candidate.node] === storage.listens[copy.node] &&
        !hindrance(
          sim,
          cluster,
          storage,
          storage.listens[copy.node] ?? '',
          candidate.node,
          copy.node,
        ),
    )
    if (!source) {
      at = Math.min(at, sim.now + tryAgainMs)
      continue
    }
    const slowness = Math.max(...[source, copy].map((end) => diskOf(storage, end)?.slowness ?? 1))
    const rate = rateOf(storage, storage.listens[copy.node] ?? '') / slowness
    const endsAt = sim.now + Math.ceil((bytes / rate) * 1000)
    copy.filling = { from: label(source), startedAt: sim.now, endsAt }
    copy.since = sim.now
    at = Math.min(at, endsAt)
    free--
    altered = true
  }
  return { altered, at }
}

/** What one copy gets of a network. */
export const rateOf = (storage: Storage, network: string): number =>
  storage.networks.find((candidate) => candidate.name === network)?.bytesPerSecond ?? 1

/** Lets the storage of a cluster take its next steps, and come back when there is more to do. */
export function settleStorage(sim: Sim, cluster: Cluster): void {
  const { storage } = cluster
  if (!storage) return
  let altered = listen(sim, cluster, storage)
  for (const volume of storage.volumes) {
    altered = fill(sim, cluster, volume) || altered
    altered = giveUp(volume) || altered
  }
  altered = serveVolumes(sim, cluster, storage) || altered
  const planned = plan(sim, cluster, storage)
  const copied = copyOver(sim, cluster, storage)
  if (altered || planned.altered || copied.altered) sim.touchCluster(cluster.name)
  wake(sim, cluster, storage, Math.min(planned.at, copied.at))
}

/** Lets a cluster with volumes that grow tell how full they are, now and then. */
export function queueTelling(sim: Sim, cluster: Cluster): void {
  if (cluster.storage?.volumes.some((volume) => volume.perDayBytes > 0) !== true) return
  const next = (Math.floor(sim.now / tellMs) + 1) * tellMs
  sim.schedule(next - sim.now, { kind: 'tell', cluster: cluster.name })
}

export function tellStorage(sim: Sim, cluster: Cluster): void {
  sim.touchCluster(cluster.name)
  queueTelling(sim, cluster)
}

function wake(sim: Sim, cluster: Cluster, storage: Storage, at: number): void {
  if (storage.wakeAt !== undefined && storage.wakeAt <= sim.now) delete storage.wakeAt
  if (at === Infinity || (storage.wakeAt !== undefined && storage.wakeAt <= at)) return
  storage.wakeAt = at
  sim.schedule(Math.max(0, at - sim.now), { kind: 'storage', cluster: cluster.name })
}
