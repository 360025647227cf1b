/** What a site tells of itself. What only it knows (secrets, what will fail) it does not tell. */
import { z } from 'zod'
import {
  balancer,
  box,
  firewallRule,
  heldAddress,
  heldDisk,
  host,
  image,
  nameRecord,
  network,
  publishedFile,
  route,
  size,
  tier,
  translation,
} from '../shapes'
import { registryAccess } from '../registry-access'
import type { Told } from '../told'

export const siteKind = z.enum(['hall', 'cloud', 'edge'])
export type SiteKind = z.infer<typeof siteKind>

export const machine = z.object({
  name: z.string(),
  zone: z.string(),
  host: z.string().nullable(),
  size: z.string(),
  cores: z.number(),
  memoryBytes: z.number(),
  diskGb: z.number(),
  lifetime: z.enum(['on-demand', 'spot']),
  power: z.enum(['off', 'starting', 'on', 'failed']),
  address: z.string().nullable(),
  /** The cluster its tags name, or null. */
  cluster: z.string().nullable(),
  /** The group whose machines stand on different hosts, or null. */
  apart: z.string().nullable().optional(),
})
export type MachineReport = Told<z.infer<typeof machine>>

export const offeredSize = size.extend({
  /** Zones that offer it and had none left when last asked. */
  soldOut: z.array(z.string()).default([]),
})

export const siteReport = z.object({
  name: z.string(),
  title: z.string(),
  kind: siteKind,
  arch: z.string(),
  /** Sites of one address domain reach each other by address. */
  domain: z.string(),
  connected: z.boolean(),
  zones: z.array(z.string()),
  overcommit: z.number(),
  /** Hosts of each zone that are kept free for failover. */
  reservePerZone: z.number(),
  quotaCores: z.number().nullable(),
  quotaBalancers: z.number().nullable(),
  quotaAddresses: z.number().nullable(),
  networks: z.array(network),
  routes: z.array(route),
  nameServers: z.array(z.object({ address: z.string(), answers: z.boolean() })),
  timeServers: z.array(z.object({ name: z.string(), answers: z.boolean() })),
  nameDomain: z.string(),
  records: z.array(nameRecord),
  storageClasses: z.array(z.object({ name: z.string(), zones: z.array(z.string()) })),
  /** Most bytes of boot data a machine can be handed, after encoding; null has no limit. */
  bootData: z.object({ limitBytes: z.number().nullable(), base64: z.boolean() }),
  published: z.array(publishedFile),
  balancers: z.array(balancer),
  sizes: z.array(offeredSize),
  images: z.array(image),
  hosts: z.array(host),
  boxes: z.array(box),
  machines: z.array(machine),
  addresses: z.array(heldAddress),
  disks: z.array(heldDisk),
  /** Managed control planes on offer, in units an hour. */
  managedTiers: z.array(
    z.object({
      tier,
      hourly: z.number(),
      /** Percent of a month in which its API is promised to answer; null promises nothing. */
      availability: z.number().nullable().default(null),
    }),
  ),
  /** Managed control planes that exist, with the cluster they serve. */
  controlPlanes: z.array(
    z.object({ cluster: z.string(), tier, release: z.string(), address: z.string() }),
  ),
  prices: z.object({
    diskGbMonth: z.number(),
    kwh: z.number(),
    hostMonth: z.number(),
    /** What a spot machine costs of an on-demand one. */
    spotShare: z.number(),
    balancerHour: z.number(),
  }),
  /** The registry that stands here: its name, and the tags of each repository. */
  registry: z
    .object({
      host: z.string(),
      images: z.record(z.string(), z.array(z.string())),
      /** Who may pull and push what. */
      access: registryAccess.optional(),
    })
    .optional(),
  firewall: z.array(firewallRule).optional(),
  translations: z.array(translation).optional(),
  /** The address under which it goes out to the wide-area uplink. */
  egress: z.string().optional(),
  /** Largest packet its uplink carries (bytes). */
  mtu: z.number().optional(),
})
export type SiteReport = Told<z.infer<typeof siteReport>>

/** One billable thing and the time in which it was there, ISO 8601 UTC; null is until now. */
export const meteredThing = z.object({
  what: z.enum(['machine', 'disk', 'tier', 'balancer', 'address', 'host']),
  name: z.string(),
  cluster: z.string().nullable(),
  zone: z.string().optional(),
  size: z.string().optional(),
  cores: z.number().optional(),
  lifetime: z.enum(['on-demand', 'spot']).optional(),
  gb: z.number().optional(),
  tier: z.string().optional(),
  from: z.string(),
  until: z.string().nullable(),
})
export type MeteredThing = Told<z.infer<typeof meteredThing>>

/** Somebody outside who listens. */
export const peer = z.object({
  name: z.string(),
  address: z.string(),
  ports: z.array(z.number()),
  protocol: z.enum(['tcp', 'udp']),
  site: z.string().optional(),
  accepts: z.array(z.string()).optional(),
  routes: z.array(z.string()).optional(),
})
export type PeerReport = Told<z.infer<typeof peer>>

/** What a machine that stands there finds when a script is run on it. */
export const boxFacts = z.object({
  hostname: z.string(),
  arch: z.string(),
  clock: z.string(),
  runtime: z.boolean(),
  cards: z.array(z.object({ name: z.string(), mac: z.string(), addresses: z.array(z.string()) })),
})
export type BoxFacts = Told<z.infer<typeof boxFacts>>
