/** The stateless computations: same input, same answer. Each is a schema and a core function. */
import { z } from 'zod'
import {
  bitsOf,
  carve,
  clusterRanges,
  findOverlaps,
  mostOverlaps,
  parseCidr,
  parseRange,
  type Range,
} from '~/core/addresses'
import { saidShape } from '~/core/contract'
import { drain, place, readWorld } from '~/core/placement'
import { replicasWanted } from '~/core/scaling'
import { allocatable, quorum } from '~/core/sizing'
import { parseBytes, parseCpuMilli } from '~/core/units'
import { areaComputations } from './areas'
import { type Computation, type Computed, computation, objects, value, wrong } from './computation'

export type { Computation, Computed }

/** Numbers that a double holds exactly stay numbers; larger ones become decimal text. */
const countValue = (count: bigint): number | string =>
  count <= BigInt(Number.MAX_SAFE_INTEGER) ? Number(count) : count.toString()

const text = z.string().max(1000)
/** API strings; a bare number is read as its text. */
const quantity = z
  .union([text, z.number().nonnegative().max(Number.MAX_SAFE_INTEGER)])
  .transform(String)

/** A wide bound that keeps sums of products inside what a double holds. */
const finite = z.number().min(0).max(1e15)
const share = z.union([z.int().min(0).max(1_000_000), z.string().max(20)])

export const computations: readonly Computation[] = [
  computation({
    name: 'address-overlaps',
    says: 'All pairs of ranges that share addresses.',
    input: z.object({ ranges: z.array(z.object({ name: text, range: text })).max(200_000) }),
    output: z.object({
      overlaps: z.array(
        z.object({
          a: z.string(),
          b: z.string(),
          first: z.string(),
          last: z.string(),
          count: z.string(),
        }),
      ),
      invalid: z.array(
        z.object({ name: z.string(), says: z.string(), suggest: z.string().nullable() }),
      ),
    }),
    compute: ({ ranges }) => {
      const report = findOverlaps(ranges)
      return report
        ? value(report)
        : {
            ok: false,
            path: 'ranges',
            says: `More than ${mostOverlaps} pairs overlap. Ask about fewer ranges at a time.`,
            tooLarge: true,
          }
    },
  }),
  computation({
    name: 'address-carve',
    says: 'Blocks of wanted prefix lengths out of a range, clear of what is taken.',
    input: z.object({
      within: text,
      taken: z.array(text).max(20_000),
      prefixes: z.array(z.int().min(0).max(128)).max(2000),
    }),
    output: z.object({
      blocks: z.array(z.object({ prefix: z.number(), block: z.string() })),
      unfit: z.array(
        z.object({
          prefix: z.number(),
          largestFree: z.string().nullable(),
          move: z.array(z.string()),
        }),
      ),
    }),
    compute: ({ within, taken, prefixes }) => {
      const parent = parseCidr(within)
      if (!parent.ok) return wrong('within', parent.says)
      const read: { text: string; range: Range }[] = []
      for (const [index, one] of taken.entries()) {
        const range = parseRange(one)
        if (!range.ok) return wrong(`taken[${index}]`, range.says)
        read.push({ text: one, range: range.value })
      }
      const long = prefixes.findIndex((prefix) => prefix > bitsOf(parent.value.family))
      if (long >= 0)
        return wrong(
          `prefixes[${long}]`,
          `IPv${parent.value.family} takes prefix lengths from 0 to ${bitsOf(parent.value.family)}.`,
        )
      return value(carve(parent.value, read, prefixes))
    },
  }),
  computation({
    name: 'cluster-ranges',
    says: 'What a cluster’s pod and service ranges hold.',
    input: z.object({ pods: text, maxPodsPerNode: z.int().min(1).max(1_000_000), services: text }),
    output: z.object({
      perNodePrefix: z.number(),
      maxNodes: z.union([z.number(), z.string()]),
      services: z.union([z.number(), z.string()]),
      apiAddress: z.string().nullable(),
      dnsAddress: z.string().nullable(),
    }),
    compute: ({ pods, maxPodsPerNode, services }) => {
      const podRange = parseCidr(pods)
      if (!podRange.ok) return wrong('pods', podRange.says)
      const serviceRange = parseCidr(services)
      if (!serviceRange.ok) return wrong('services', serviceRange.says)
      const result = clusterRanges(podRange.value, maxPodsPerNode, serviceRange.value)
      if (!result.ok) return wrong('pods', result.says)
      return value({
        ...result.value,
        maxNodes: countValue(result.value.maxNodes),
        services: countValue(result.value.services),
      })
    },
  }),
  computation({
    name: 'allocatable',
    says: 'What a node of this capacity leaves for pods.',
    input: z.object({ cpu: quantity, memory: quantity }),
    output: z.object({
      cpuMilli: z.number(),
      memoryBytes: z.number(),
      reserved: z.object({ cpuMilli: z.number(), memoryBytes: z.number() }),
    }),
    compute: ({ cpu, memory }) => {
      const cores = parseCpuMilli(cpu)
      if (!cores.ok) return wrong('cpu', cores.says)
      const bytes = parseBytes(memory)
      if (!bytes.ok) return wrong('memory', bytes.says)
      return value(allocatable(cores.value, bytes.value))
    },
  }),
  computation({
    name: 'quorum',
    says: 'Which losses a control plane spread over zones survives.',
    input: z.object({ zones: z.array(z.int().min(0).max(1_000_000)).max(1000) }),
    output: z.object({
      members: z.number(),
      tolerates: z.number(),
      survivesZoneLoss: z.array(z.boolean()),
      finding: saidShape.extend({ level: z.enum(['stop', 'caution', 'note']) }).nullable(),
    }),
    compute: ({ zones }) => {
      const report = quorum(zones)
      return report
        ? value(report)
        : wrong(
            'zones',
            'There is no member at all. Give at least one zone with at least one member.',
          )
    },
  }),
  computation({
    name: 'placement',
    says: 'Where waiting pods go, why others wait, and what would help.',
    mostMiB: 256,
    input: z.object({
      objects,
      options: z
        .object({
          scores: z.boolean().optional(),
          preempt: z.boolean().optional(),
          remedies: z.boolean().optional(),
        })
        .optional(),
    }),
    output: z.object({
      placed: z.array(
        z.object({
          pod: z.string(),
          node: z.string(),
          scores: z.record(z.string(), z.number()).optional(),
        }),
      ),
      waiting: z.array(
        saidShape.extend({
          pod: z.string(),
          tally: z.record(z.string(), z.number()),
          remedies: z.array(
            z.object({
              says: z.string(),
              patch: z.array(z.object({ op: z.string(), path: z.string(), value: z.unknown() })),
            }),
          ),
        }),
      ),
      evicted: z.array(z.object({ pod: z.string(), for: z.string() })),
      nodes: z.array(
        z.object({
          name: z.string(),
          cpuMilli: z.number(),
          memoryBytes: z.number(),
          pods: z.number(),
        }),
      ),
    }),
    compute: ({ objects: given, options }) => {
      const read = readWorld(given)
      if (!read.ok) return wrong(read.path, read.says)
      const placement = place(read.world, {
        scores: options?.scores === true,
        preempt: options?.preempt === true,
        remedies: options?.remedies !== false,
      })
      return value({
        ...placement,
        waiting: placement.waiting.map((pod) => ({
          ...pod,
          remedies: pod.remedies.map(({ says, patch }) => ({ says, patch })),
        })),
      })
    },
  }),
  computation({
    name: 'drain',
    says: 'What leaves nodes that are drained, in which order, where it goes, and what stands in the way.',
    mostMiB: 256,
    input: z.object({
      objects,
      nodes: z.array(text).max(20_000),
      options: z
        .object({
          allowLocalData: z.boolean().optional(),
          surge: share.optional(),
          unavailable: share.optional(),
        })
        .optional(),
    }),
    output: z.object({
      evictions: z.array(
        z.object({ pod: z.string(), from: z.string(), to: z.string().nullable() }),
      ),
      blocked: z.array(saidShape.extend({ pod: z.string() })),
      waves: z.array(z.object({ nodes: z.array(z.string()), seconds: z.number() })),
      seconds: z.number(),
    }),
    compute: ({ objects: given, nodes, options }) => {
      const read = readWorld(given)
      if (!read.ok) return wrong(read.path, read.says)
      const { allowLocalData, surge, unavailable } = options ?? {}
      const drainRead = drain(read.world, nodes, {
        ...(allowLocalData === undefined ? {} : { allowLocalData }),
        ...(surge === undefined ? {} : { surge }),
        ...(unavailable === undefined ? {} : { unavailable }),
      })
      if (!drainRead.ok) return wrong(drainRead.path, drainRead.says)
      const { evictions, blocked, waves, seconds } = drainRead.drain
      return value({
        evictions: evictions.map(({ pod, from, to }) => ({ pod, from, to })),
        blocked: blocked.map(({ noRoom: _, ...why }) => why),
        waves,
        seconds,
      })
    },
  }),
  computation({
    name: 'replicas',
    says: 'How many replicas metrics ask for.',
    input: z.object({
      current: z.int().min(0).max(1_000_000_000),
      min: z.int().min(0).max(1_000_000_000),
      max: z.int().min(0).max(1_000_000_000),
      metrics: z
        .array(
          z.object({
            name: text,
            value: finite,
            target: z.number().positive('A target is above 0.').max(1e15),
          }),
        )
        .min(1, 'Without a metric there is nothing to scale by. Give at least one.')
        .max(1000),
    }),
    output: z.object({ desired: z.number(), because: z.string() }),
    compute: (given) => {
      if (given.min > given.max)
        return wrong(
          'max',
          `At most ${given.max} is less than at least ${given.min}. Raise max or lower min.`,
        )
      return value(replicasWanted(given))
    },
  }),
  ...areaComputations,
]

export const computationNamed = (name: string): Computation | undefined =>
  computations.find((computation) => computation.name === name)
