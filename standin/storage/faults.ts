/** Faults of single disks of replicated storage, about `disk/<cluster>/<node>/<disk>`. */
import type { Cluster } from '../cluster-state'
import type { Sim } from '../engine/sim'
import { settleStorage } from './settle'
import type { StoreDisk } from './state'

export const diskFaults = ['disk-lost', 'disk-full', 'disk-slow'] as const
export type DiskFault = (typeof diskFaults)[number]

export const isDiskFault = (kind: string): kind is DiskFault =>
  diskFaults.some((fault) => fault === kind)

/** How many times as long a slow disk takes. */
const slowness = 8

interface Found {
  readonly cluster: Cluster
  readonly disk: StoreDisk
}

/** The disk that a fault is about. */
export function diskAbout(sim: Sim, about: string): Found | null {
  const [what, name, node, disk] = about.split('/')
  const cluster = what === 'disk' ? sim.cluster(name) : undefined
  const held = cluster?.storage?.disks.find(
    (candidate) => candidate.node === node && candidate.name === disk,
  )
  return cluster && held ? { cluster, disk: held } : null
}

/** Puts a fault on a disk, or takes it away. */
export function setDiskFault(sim: Sim, kind: DiskFault, about: string, on: boolean): void {
  const result = diskAbout(sim, about)
  if (!result) return
  const { cluster, disk } = result
  if (kind === 'disk-lost') disk.lost = on
  else if (kind === 'disk-full') disk.full = on
  else disk.slowness = on ? slowness : 1
  settleStorage(sim, cluster)
  sim.touchCluster(cluster.name)
}
