/** What a cluster’s replicated storage tells: its disks, its volumes with every copy, and the networks copies can travel. */
import { z } from 'zod'
import type { Told } from '../told'

export const replicaReport = z.object({
  node: z.string(),
  disk: z.string(),
  /** Whole: serves. Copying: is being filled from another. Gone: its disk or node does not answer. */
  state: z.enum(['whole', 'copying', 'gone']),
  /** Why it is gone, in the words of whoever saw it; empty while it is not. */
  reason: z.string(),
  /** Since when it is in this state. */
  since: z.string(),
  /** The copy that it is filled from, as `node/disk`, and when it will be whole; null while it is not being filled. */
  from: z.string().nullable(),
  until: z.string().nullable(),
  /** Times as long as usual that a write takes on its disk. */
  slowness: z.number(),
})
export type ReplicaReport = Told<z.infer<typeof replicaReport>>

export const snapshotReport = z.object({
  name: z.string(),
  at: z.string(),
  usedBytes: z.number(),
})

export const volumeReport = z.object({
  name: z.string(),
  /** `namespace/name` of its claim, or null. */
  claim: z.string().nullable(),
  class: z.string(),
  bytes: z.number(),
  usedBytes: z.number(),
  /** How many copies there are to be. */
  copies: z.number(),
  zones: z.enum(['required', 'preferred', 'any']),
  replicas: z.array(replicaReport),
  /** The nodes that serve it, and the pods beside which they do. */
  attached: z.array(z.object({ node: z.string(), pod: z.string() })),
  /** Used bytes at midnight UTC of the last days, oldest first. */
  samples: z.array(z.object({ at: z.string(), usedBytes: z.number() })),
  snapshots: z.array(snapshotReport),
})
export type VolumeReport = Told<z.infer<typeof volumeReport>>

export const storageDisk = z.object({
  node: z.string(),
  zone: z.string(),
  name: z.string(),
  bytes: z.number(),
  /** What is free on it now, whatever is planned. */
  freeBytes: z.number(),
  /** Retiring: takes nothing new, is being emptied. */
  state: z.enum(['ready', 'retiring', 'lost']),
})
export type StorageDisk = Told<z.infer<typeof storageDisk>>

export const storageReport = z.object({
  /** The add-on that keeps it. */
  addOn: z.string(),
  plannedPercent: z.number(),
  floorPercent: z.number(),
  /** How many copies are made at once, and how fast each. */
  rebuild: z.object({ atOnce: z.number(), bytesPerSecond: z.number() }),
  /** The TCP port on which the processes that keep copies listen. */
  port: z.number(),
  /** Volumes that one node can serve at most. */
  attachLimit: z.number(),
  /** The network that copies travel, by its name at the site. */
  network: z.string(),
  /** Every network that its nodes have a link to, with the address and the largest packet of each link. */
  networks: z.array(
    z.object({
      name: z.string(),
      /** What one copy gets of it. */
      bytesPerSecond: z.number(),
      links: z.array(z.object({ node: z.string(), address: z.string(), mtu: z.number() })),
    }),
  ),
  /** The network on which each node’s copy process listens: it changes when the process is restarted. */
  listens: z.array(z.object({ node: z.string(), network: z.string() })),
  classes: z.array(
    z.object({
      name: z.string(),
      copies: z.number(),
      zones: z.enum(['required', 'preferred', 'any']),
    }),
  ),
  disks: z.array(storageDisk),
  volumes: z.array(volumeReport),
})
export type StorageReport = Told<z.infer<typeof storageReport>>
