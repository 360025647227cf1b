/** What a person wants when raising a cluster. Texts may be empty while a draft is being written: the checks say so. */
import { z } from 'zod'
import { expectSchema } from './expects'

const text = z.string().max(253)
const labels = z.record(z.string().max(317), z.string().max(63))
const count = z.int().min(0).max(10_000)

const taint = z.strictObject({
  key: text,
  value: text.default(''),
  effect: z.enum(['NoSchedule', 'PreferNoSchedule', 'NoExecute']),
})

const pool = z
  .strictObject({
    name: text,
    size: text,
    count: count.optional(),
    range: z.strictObject({ min: count, max: count }).optional(),
    lifetime: z.enum(['on-demand', 'spot']).default('on-demand'),
    zones: z.array(text).max(20).optional(),
    rootDiskGb: z.number().min(0).max(100_000).optional(),
    labels: labels.default({}),
    taints: z.array(taint).max(20).default([]),
  })
  .refine((value) => (value.count === undefined) !== (value.range === undefined), {
    error: 'Give exactly one of count and range.',
    path: ['count'],
  })

const controlPlane = z.discriminatedUnion('kind', [
  z.strictObject({
    kind: z.literal('own'),
    count: z.int().min(0).max(99),
    alsoWorkers: z.boolean().default(false),
    size: text.optional(),
    zones: z.array(text).max(20).optional(),
    /** Whether the API is first started on a machine that goes again, or on the first machine that stays. */
    begins: z.enum(['first-machine', 'temporary-machine']).optional(),
  }),
  z.strictObject({ kind: z.literal('managed'), tier: z.enum(['plain', 'assured']) }),
])

const machine = z.strictObject({
  machine: text,
  roles: z
    .array(z.enum(['control-plane', 'worker']))
    .min(1)
    .max(2),
  nodeName: text,
  disk: text.optional(),
  wipe: text.optional(),
  card: text.optional(),
  address: text.optional(),
  /** How it is taken into use: installed over its boot server, or by a join script that somebody runs on it. */
  by: z.enum(['install', 'script']).optional(),
})

const services = z.strictObject({
  webProxy: z.strictObject({ url: text, except: z.array(text).max(100).default([]) }).optional(),
  authorities: z
    .array(z.strictObject({ name: text, pem: z.string().max(20_000) }))
    .max(20)
    .default([]),
  timeServers: z.array(text).max(10).optional(),
  nameServers: z.array(text).max(10).optional(),
  registryMirror: text.optional(),
  mtu: z.int().min(576).max(9216).optional(),
})

const security = z.strictObject({
  encryptSecrets: z.boolean().default(true),
  auditPolicy: z.enum(['none', 'metadata', 'requests']).default('metadata'),
  identityProvider: z.strictObject({ issuer: text, client: text }).optional(),
})

export const raiseIntent = z.strictObject({
  name: text,
  site: text,
  release: text,
  guarded: z.boolean().default(false),
  labels: labels.default({}),
  controlPlane,
  pools: z.array(pool).max(50).default([]),
  ranges: z.strictObject({
    pods: text,
    services: text,
    maxPodsPerNode: z.int().min(1).max(2048).default(110),
  }),
  networks: z
    .strictObject({
      nodes: text.optional(),
      management: text.optional(),
      frontage: text.optional(),
      staticAddresses: z.array(text).max(200).optional(),
      virtualAddresses: text.optional(),
      /** Whether nodes of a cloud get addresses of their own outside, too. */
      nodeAddresses: z.enum(['private', 'public']).optional(),
      /** How workers of a hall get theirs. */
      addressing: z.enum(['dhcp', 'static']).optional(),
    })
    .default({}),
  machines: z.array(machine).max(100).default([]),
  sshKey: text.optional(),
  /** Names that should resolve to the API and to what comes in. */
  names: z.strictObject({ api: text.optional(), ingress: text.optional() }).optional(),
  services: services.optional(),
  security: security.optional(),
  storageClass: text.optional(),
  bootData: z
    .strictObject({ handOver: z.enum(['inline', 'published']).default('inline') })
    .optional(),
  /** Walks that the cluster is proven by, and that are expected of it from then on. */
  expects: z.array(expectSchema).max(100).optional(),
  /** Machines of a halted run that are made anew, with how often. */
  again: z.record(text, z.int().min(1).max(20)).optional(),
})

export type RaiseIntent = z.infer<typeof raiseIntent>
export type PoolIntent = RaiseIntent['pools'][number]
