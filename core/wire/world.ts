/** The world of a packet walk as data: sites with networks, routes, firewalls, translations, fronts and records; clusters; peers. */
import { z } from 'zod'

const text = z.string().max(1000)
const name = z.string().max(253)
const port = z.int().min(1, 'A port is from 1 to 65535.').max(65_535, 'A port is from 1 to 65535.')
const ranges = z.array(text).max(20_000)
const anyProtocol = z.enum(['tcp', 'udp', 'sctp', 'any', 'TCP', 'UDP', 'SCTP', 'ANY'])
const wireProtocol = z.enum(['tcp', 'udp', 'sctp', 'TCP', 'UDP', 'SCTP'])
const list = <T extends z.ZodType>(item: T, max: number) => z.array(item).max(max).default([])

export const firewallRuleSchema = z.looseObject({
  name,
  priority: z.number(),
  direction: z.enum(['in', 'out']),
  action: z.enum(['allow', 'deny']),
  from: ranges.nullish(),
  to: ranges.nullish(),
  protocol: anyProtocol.default('any'),
  ports: z
    .array(z.union([text, z.int().transform(String)]))
    .max(1000)
    .nullish(),
  members: ranges.nullish(),
  enabled: z.boolean().nullish(),
})

export const translationSchema = z.looseObject({
  name,
  priority: z.number(),
  kind: z.enum(['keep', 'translate']),
  from: ranges.nullish(),
  to: ranges.nullish(),
  becomes: text.nullish(),
  protocol: anyProtocol.default('any'),
})

export const clusterSchema = z.looseObject({
  name,
  site: name,
  podRange: text,
  serviceRange: text,
  dnsDomain: text.default('cluster.local'),
  keepSource: ranges.nullish(),
  nodes: list(
    z.looseObject({
      name,
      address: text,
      network: name,
      /** What listens on the node itself; absent where nobody knows, so that it takes all. */
      listens: z
        .array(z.looseObject({ port, protocol: wireProtocol.default('tcp') }))
        .max(65_535)
        .nullish(),
    }),
    20_000,
  ),
  objects: list(z.unknown(), 500_000),
})

export const siteSchema = z.looseObject({
  name,
  domain: name,
  networks: list(
    z.looseObject({ name, range: text, mtu: z.int().min(68).max(65_536).nullish() }),
    10_000,
  ),
  routes: list(z.looseObject({ network: name, to: text, via: text.nullish() }), 20_000),
  firewall: list(firewallRuleSchema, 20_000),
  translations: list(translationSchema, 20_000),
  fronts: list(
    z.looseObject({
      address: text,
      port,
      protocol: wireProtocol.default('tcp'),
      cluster: name,
      service: text,
      nodePort: port,
      /** The nodes behind it, by name; absent are all of the cluster. */
      members: z.array(name).max(20_000).nullish(),
    }),
    20_000,
  ),
  records: list(z.looseObject({ name: text, address: text }), 100_000),
  mtu: z.int().min(68).max(65_536).nullish(),
})

export const peerSchema = z.looseObject({
  name,
  address: text,
  ports: z.array(port).max(70_000),
  protocol: wireProtocol.default('tcp'),
  site: name.nullish(),
  accepts: ranges.nullish(),
  routes: ranges.nullish(),
})

export const walkWorldSchema = z.looseObject({
  clusters: list(clusterSchema, 5000),
  sites: list(siteSchema, 5000),
  peers: list(peerSchema, 20_000),
})

export type FirewallRule = z.infer<typeof firewallRuleSchema>
export type Translation = z.infer<typeof translationSchema>
export type WalkCluster = z.infer<typeof clusterSchema>
export type WalkSite = z.infer<typeof siteSchema>
export type WalkPeer = z.infer<typeof peerSchema>
export type WalkWorld = z.infer<typeof walkWorldSchema>

export const fromSchema = z.union(
  [
    z.strictObject({ pod: text, cluster: name }),
    z.strictObject({ node: name, cluster: name }),
    z.strictObject({ address: text }),
  ],
  'Give a pod and its cluster, a node and its cluster, or an address.',
)
export const toSchema = z.union(
  [
    z.strictObject({ pod: text, cluster: name }),
    z.strictObject({ service: text, cluster: name }),
    z.strictObject({ address: text }),
    z.strictObject({ name: text }),
  ],
  'Give a pod and its cluster, a service and its cluster, an address, or a name.',
)
export const protocolSchema = z
  .string()
  .max(10)
  .transform((given, context): 'TCP' | 'UDP' | 'SCTP' => {
    const read = given.toUpperCase()
    if (read === 'TCP' || read === 'UDP' || read === 'SCTP') return read
    context.addIssue({ code: 'custom', message: 'A protocol is TCP, UDP or SCTP.' })
    return z.NEVER
  })
export const portSchema = port

export type WalkFrom = z.infer<typeof fromSchema>
export type WalkTo = z.infer<typeof toSchema>
