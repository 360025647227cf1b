/** Shapes that verbs take and reports tell alike. */
import { z } from 'zod'
import type { Told } from './told'

/** Code, parameters and sentence of what is said. */
export const saidShape = z.object({
  code: z.string(),
  params: z.record(
    z.string(),
    z.union([
      z.string(),
      z.number(),
      z.boolean(),
      z.null(),
      z.array(z.string()),
      z.array(z.number()),
    ]),
  ),
  says: z.string(),
})

export const network = z.object({
  name: z.string(),
  range: z.string(),
  zone: z.string().optional(),
  role: z.enum(['management', 'nodes', 'frontage', 'storage', 'private', 'peer', 'uplink']),
  vlan: z.number().optional(),
  gateway: z.string().optional(),
  /** The range its DHCP server gives out. */
  dhcp: z.string().optional(),
  /** The range its load balancers take virtual addresses from. */
  pool: z.string().optional(),
  mtu: z.number().optional(),
  /** The name server its DHCP server hands out; the site’s first where absent. */
  nameServer: z.string().optional(),
  /** Whether its DHCP server answered when last asked; absent means yes. */
  dhcpAnswers: z.boolean().optional(),
})
export type Network = Told<z.infer<typeof network>>

export const route = z.object({ network: z.string(), to: z.string(), via: z.string() })
export type Route = Told<z.infer<typeof route>>

export const nameRecord = z.object({
  name: z.string(),
  type: z.string(),
  ttl: z.number(),
  value: z.string(),
})
export type NameRecord = Told<z.infer<typeof nameRecord>>

/** What stands between an address outside and nodes. */
export const balancer = z.object({
  name: z.string(),
  address: z.string(),
  port: z.number(),
  cluster: z.string().nullable(),
  service: z.string(),
  /** Further ports it answers on. */
  ports: z.array(z.number()).optional(),
  /** Made by the load balancer itself, for a service; goes with that. */
  made: z.boolean().optional(),
})
export type Balancer = Told<z.infer<typeof balancer>>

export const firewallRule = z.object({
  name: z.string(),
  /** Lower is asked first. */
  priority: z.number(),
  direction: z.enum(['in', 'out']),
  action: z.enum(['allow', 'deny']),
  from: z.array(z.string()).optional(),
  to: z.array(z.string()).optional(),
  protocol: z.enum(['tcp', 'udp', 'sctp', 'any']),
  ports: z.array(z.string()).optional(),
  /** The machines it is on; absent is all. */
  members: z.array(z.string()).optional(),
  enabled: z.boolean().optional(),
})
export type FirewallRule = Told<z.infer<typeof firewallRule>>

export const translation = z.object({
  name: z.string(),
  priority: z.number(),
  kind: z.enum(['keep', 'translate']),
  from: z.array(z.string()).optional(),
  to: z.array(z.string()).optional(),
  becomes: z.string().optional(),
  protocol: z.enum(['tcp', 'udp', 'any']).optional(),
})
export type Translation = Told<z.infer<typeof translation>>

export const host = z.object({
  name: z.string(),
  zone: z.string(),
  cores: z.number(),
  memoryBytes: z.number(),
  diskGb: z.number(),
  idleWatts: z.number(),
  fullWatts: z.number(),
  /** Out: taken out for work, holds nothing new. Dead: everything on it has stopped. Absent: in service. */
  service: z.enum(['in', 'out', 'dead']).optional(),
})
export type Host = Told<z.infer<typeof host>>

export const size = z.object({
  name: z.string(),
  cores: z.number(),
  memoryBytes: z.number(),
  diskGb: z.number(),
  /** Zones that offer it. */
  zones: z.array(z.string()),
  /** Units an hour on demand; null where power is paid instead. */
  hourly: z.number().nullable(),
})

export const image = z.object({
  name: z.string(),
  release: z.string(),
  arch: z.string(),
  minimumDiskGb: z.number(),
})
export type Image = Told<z.infer<typeof image>>

export const boxDisk = z.object({
  identifier: z.string(),
  shownAs: z.string(),
  sizeGb: z.number(),
  removable: z.boolean(),
  /** What lies on it, or null when it is blank. */
  holds: z.string().nullable(),
})
export type BoxDisk = Told<z.infer<typeof boxDisk>>

export const card = z.object({
  name: z.string(),
  mac: z.string(),
  address: z.string().nullable(),
  network: z.string().nullable(),
  /** How many others hold the same address, as the ledger says. */
  sharedWith: z.number(),
})
export type Card = Told<z.infer<typeof card>>

/** A machine that stands somewhere already, with its own disks and cards. */
export const box = z.object({
  name: z.string(),
  zone: z.string(),
  arch: z.string(),
  cores: z.number(),
  memoryBytes: z.number(),
  disks: z.array(boxDisk),
  cards: z.array(card),
  /** An operating system runs on it: it joins by a script. Absent is no. */
  prepared: z.boolean().optional(),
  usedBy: z.string().nullable(),
})
export type Box = Told<z.infer<typeof box>>

export const heldAddress = z.object({
  address: z.string(),
  network: z.string(),
  for: z.string(),
  cluster: z.string().nullable(),
  how: z.enum(['static', 'dhcp', 'virtual']),
})
export type HeldAddress = Told<z.infer<typeof heldAddress>>

export const heldDisk = z.object({
  name: z.string(),
  sizeGb: z.number(),
  machine: z.string().nullable(),
  cluster: z.string().nullable(),
  /** Where its store is; absent on disks that belong to no zone. */
  zone: z.string().optional(),
})
export type HeldDisk = Told<z.infer<typeof heldDisk>>

export const publishedFile = z.object({
  name: z.string(),
  bytes: z.number(),
  /** SHA-256 in hexadecimal. */
  digest: z.string(),
  cluster: z.string(),
})
export type PublishedFile = Told<z.infer<typeof publishedFile>>

export const tier = z.enum(['plain', 'assured'])

export const taint = z.object({
  key: z.string(),
  value: z.string().default(''),
  effect: z.enum(['NoSchedule', 'PreferNoSchedule', 'NoExecute']),
})
export type Taint = Told<z.infer<typeof taint>>

export const labels = z.record(z.string(), z.string())

/** An object of the API, as far as a verb has to know it. */
export const manifest = z.looseObject({
  apiVersion: z.string(),
  kind: z.string(),
  metadata: z.looseObject({
    name: z.string(),
    namespace: z.string().optional(),
    labels: labels.optional(),
    annotations: labels.optional(),
  }),
})
export type Manifest = Told<z.infer<typeof manifest>>
