/** What a cluster’s API tells: itself, its nodes, its events, what its pods use and whom they call. Times are ISO 8601, UTC. */
import { z } from 'zod'
import type { Told } from '../told'
import { redirect } from '../redirects'
import { pullsAs } from '../registry-access'
import { apiClient } from './api-client'
import { reachReport } from './reach'
import { machine } from './site'
import { storageReport } from './storage'

export const condition = z.object({
  type: z.string(),
  status: z.enum(['True', 'False', 'Unknown']),
  reason: z.string(),
  message: z.string(),
  since: z.string(),
})
export type Condition = Told<z.infer<typeof condition>>

export const nodeReport = z.object({
  name: z.string(),
  pool: z.string(),
  zone: z.string(),
  roles: z.array(z.string()),
  machine: z.string(),
  address: z.string(),
  release: z.string(),
  conditions: z.array(condition),
  cordoned: z.boolean(),
  cpuMilli: z.number(),
  memoryBytes: z.number(),
  allocatableCpuMilli: z.number(),
  allocatableMemoryBytes: z.number(),
  requestedCpuMilli: z.number(),
  requestedMemoryBytes: z.number(),
  pods: z.number(),
  createdAt: z.string(),
})
export type NodeReport = Told<z.infer<typeof nodeReport>>

export const backup = z.object({
  id: z.string(),
  at: z.string(),
  bytes: z.number(),
  objects: z.number(),
})

export const clusterReport = z.object({
  name: z.string(),
  apiAnswers: z.boolean(),
  /** Members of an own control plane that answer. */
  membersUp: z.number(),
  members: z.array(z.string()),
  release: z.string(),
  endpoint: z.string(),
  nodes: z.array(nodeReport),
  podCount: z.number(),
  /** Ranges towards which pods keep their own addresses. */
  keepSource: z.array(z.string()),
  /** Where its nodes look for images instead, by the beginning of their names. */
  redirects: z.array(redirect).optional(),
  /** What nodes show to registries when they pull for a namespace. */
  pullsAs: z.array(pullsAs).optional(),
  namespaces: z.array(z.string()),
  dnsAnswers: z.boolean(),
  /** Since when it is stopped, or null; and the machines it takes again when it is started. */
  restingSince: z.string().nullable(),
  restingMachines: z.array(machine),
  /** Its nodes as they were when it was stopped. */
  restingNodes: z.array(nodeReport).default([]),
  /** When the certificates of its API end. */
  certificatesUntil: z.string(),
  backups: z.array(backup),
  /** Add-ons installed, and in which version. */
  addOns: z.array(z.object({ name: z.string(), version: z.string() })).default([]),
  /** Who asked its API for versions of objects, counted over the last day, by the agent that they name themselves. */
  apiClients: z.array(apiClient).default([]),
  /** Its replicated storage; null where it has none. */
  storage: storageReport.nullable().default(null),
  /** How it is reached; absent where Gyrarch raised it. */
  reach: reachReport.optional(),
})
export type ClusterReport = Told<z.infer<typeof clusterReport>>

export const clusterEvent = z.object({
  at: z.string(),
  type: z.enum(['Normal', 'Warning']),
  reason: z.string(),
  about: z.string(),
  message: z.string(),
})
export type ClusterEvent = Told<z.infer<typeof clusterEvent>>

/** A time in which a call fared alike; rates a second. */
export const trafficSpan = z.object({
  from: z.string(),
  until: z.string().nullable(),
  perSecond: z.number(),
  failing: z.number(),
  /** The hop where what fails ends, and who decides it. */
  at: z.string(),
  by: z.string(),
  source: z.string(),
  destination: z.string(),
  port: z.number(),
  leaving: z.object({ source: z.string(), destination: z.string(), port: z.number() }).nullable(),
  /** Rules and translations on its way, as `site/name`. */
  met: z.array(z.string()),
})
export type TrafficSpan = Told<z.infer<typeof trafficSpan>>

export const trafficReport = z.object({
  /** `namespace/workload`, or an address outside. */
  from: z.string(),
  /** `namespace/service`, or an address. */
  to: z.string(),
  port: z.number(),
  /** What is asked, as its callers ask it. */
  method: z.string(),
  path: z.string(),
  /** Milliseconds an answer takes: half of them are faster. */
  medianMs: z.number(),
  spans: z.array(trafficSpan),
})
export type TrafficReport = Told<z.infer<typeof trafficReport>>

/** What one pod of a workload used, a sample every five minutes of the last day in which it ran. */
export const usageReport = z.object({
  /** `Kind/namespace/name` */
  workload: z.string(),
  cpuMilli: z.array(z.number()),
  memoryBytes: z.array(z.number()),
  /** Times a container was ended because it used more memory than it may. */
  memoryKills: z.number(),
  /** Part of the five-minute spans in which it wanted more CPU than its limit let it have. */
  throttled: z.number(),
})
export type UsageReport = Told<z.infer<typeof usageReport>>

/** How a node is inside, as somebody on it would read it. */
export const nodeLookReport = z.object({
  services: z.array(
    z.object({
      name: z.string(),
      state: z.enum(['running', 'failed', 'stopped', 'ended']),
      since: z.string(),
    }),
  ),
  disks: z.array(z.object({ mount: z.string(), bytes: z.number(), usedBytes: z.number() })),
  addresses: z.array(z.object({ network: z.string(), address: z.string() })),
  certificates: z.array(z.object({ name: z.string(), until: z.string() })),
  /** Its own clock, and how far that is from the right time (negative: behind). */
  time: z.object({ at: z.string(), offBySeconds: z.number() }),
})
export type NodeLook = Told<z.infer<typeof nodeLookReport>>

export const probeKinds = [
  'look-up',
  'connect',
  'request',
  'environment',
  'files',
  'processes',
] as const
export type ProbeKind = (typeof probeKinds)[number]

export const probeAnswer = z.object({ good: z.boolean(), lines: z.array(z.string()) })
export type ProbeAnswer = Told<z.infer<typeof probeAnswer>>

/** Requests a second that reached a workload. */
export const loadPoint = z.object({ at: z.number(), value: z.number() })
export type LoadPoint = Told<z.infer<typeof loadPoint>>
