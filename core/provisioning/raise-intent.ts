/** What a person wants when raising a cluster. Texts may be empty while a draft is being written: the checks say so. */
import { z } from 'zod'

const text = z.string().max(253)
const labels = z.record(z.string().max(317), z.string().max(63))
const count = z.int().min(0).max(10_000)

const taint = z.strictObject({ key: text, value: text.default(''), effect: z.enum(['NoSchedule', 'PreferNoSchedule', 'NoExecute']) })

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
  }),
  z.strictObject({ kind: z.literal('managed'), tier: z.enum(['plain', 'assured']) }),
])

const machine = z.strictObject({
  machine: text,
  roles: z.array(z.enum(['control-plane', 'worker'])).min(1).max(2),
  nodeName: text,
  disk: text.optional(),
  wipe: text.optional(),
  card: text.optional(),
  address: text.optional(),
})

export const raiseIntent = z.strictObject({
  name: text,
  site: text,
  release: text,
  guarded: z.boolean().default(false),
  labels: labels.default({}),
  controlPlane,
  pools: z.array(pool).max(50).default([]),
  ranges: z.strictObject({ pods: text, services: text, maxPodsPerNode: z.int().min(1).max(2048).default(110) }),
  networks: z
    .strictObject({
      nodes: text.optional(),
      management: text.optional(),
      frontage: text.optional(),
      staticAddresses: z.array(text).max(200).optional(),
      virtualAddresses: text.optional(),
    })
    .default({}),
  machines: z.array(machine).max(100).default([]),
  sshKey: text.optional(),
})

export type RaiseIntent = z.infer<typeof raiseIntent>
export type PoolIntent = RaiseIntent['pools'][number]
