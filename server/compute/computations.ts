/** The stateless computations: same input, same answer. Each is a schema and a core function. */
import { z } from 'zod'
import { bitsOf, carve, clusterRanges, findOverlaps, mostOverlaps, parseCidr, parseRange, type Range } from '~/core/addresses'
import { allocatable, quorum } from '~/core/sizing'
import { parseBytes, parseCpuMilli } from '~/core/units'

export type Computed = { readonly ok: true; readonly value: unknown } | { readonly ok: false; readonly path: string; readonly says: string; readonly tooLarge?: boolean }

export interface Computation {
  readonly name: string
  readonly says: string
  readonly input: z.ZodType
  readonly output: z.ZodType
  /** Whether this input may take longer than the event loop can spare. */
  readonly heavy: (input: unknown) => boolean
  readonly compute: (input: unknown) => Computed
}

function computation<Input>(of: { name: string; says: string; input: z.ZodType<Input>; output: z.ZodType; heavy?: (input: Input) => boolean; compute: (input: Input) => Computed }): Computation {
  return { ...of, heavy: (input) => of.heavy?.(input as Input) ?? false, compute: (input) => of.compute(input as Input) }
}

const value = (found: unknown): Computed => ({ ok: true, value: found })
const wrong = (path: string, says: string): Computed => ({ ok: false, path, says })

/** Numbers that a double holds exactly stay numbers; larger ones become decimal text. */
const countValue = (count: bigint): number | string => (count <= BigInt(Number.MAX_SAFE_INTEGER) ? Number(count) : count.toString())

const text = z.string().max(1000)
/** API strings; a bare number is read as its text. */
const quantity = z.union([text, z.number().nonnegative().max(Number.MAX_SAFE_INTEGER)]).transform(String)

export const computations: readonly Computation[] = [
  computation({
    name: 'address-overlaps',
    says: 'All pairs of ranges that share addresses.',
    input: z.object({ ranges: z.array(z.object({ name: text, range: text })).max(200_000) }),
    output: z.object({
      overlaps: z.array(z.object({ a: z.string(), b: z.string(), first: z.string(), last: z.string(), count: z.string() })),
      invalid: z.array(z.object({ name: z.string(), says: z.string(), suggest: z.string().nullable() })),
    }),
    heavy: ({ ranges }) => ranges.length > 2000,
    compute: ({ ranges }) => {
      const report = findOverlaps(ranges)
      return report ? value(report) : { ok: false, path: 'ranges', says: `More than ${mostOverlaps} pairs overlap. Ask about fewer ranges at a time.`, tooLarge: true }
    },
  }),
  computation({
    name: 'address-carve',
    says: 'Blocks of wanted prefix lengths out of a range, clear of what is taken.',
    input: z.object({ within: text, taken: z.array(text).max(20_000), prefixes: z.array(z.int().min(0).max(128)).max(2000) }),
    output: z.object({
      blocks: z.array(z.object({ prefix: z.number(), block: z.string() })),
      unfit: z.array(z.object({ prefix: z.number(), largestFree: z.string().nullable(), move: z.array(z.string()) })),
    }),
    heavy: ({ taken, prefixes }) => taken.length * prefixes.length > 20_000,
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
      if (long >= 0) return wrong(`prefixes[${long}]`, `IPv${parent.value.family} takes prefix lengths from 0 to ${bitsOf(parent.value.family)}.`)
      return value(carve(parent.value, read, prefixes))
    },
  }),
  computation({
    name: 'cluster-ranges',
    says: 'What a cluster’s pod and service ranges hold.',
    input: z.object({ pods: text, maxPodsPerNode: z.int().min(1).max(1_000_000), services: text }),
    output: z.object({ perNodePrefix: z.number(), maxNodes: z.union([z.number(), z.string()]), services: z.union([z.number(), z.string()]), apiAddress: z.string().nullable(), dnsAddress: z.string().nullable() }),
    compute: ({ pods, maxPodsPerNode, services }) => {
      const podRange = parseCidr(pods)
      if (!podRange.ok) return wrong('pods', podRange.says)
      const serviceRange = parseCidr(services)
      if (!serviceRange.ok) return wrong('services', serviceRange.says)
      const found = clusterRanges(podRange.value, maxPodsPerNode, serviceRange.value)
      if (!found.ok) return wrong('pods', found.says)
      return value({ ...found.value, maxNodes: countValue(found.value.maxNodes), services: countValue(found.value.services) })
    },
  }),
  computation({
    name: 'allocatable',
    says: 'What a node of this capacity leaves for pods.',
    input: z.object({ cpu: quantity, memory: quantity }),
    output: z.object({ cpuMilli: z.number(), memoryBytes: z.number(), reserved: z.object({ cpuMilli: z.number(), memoryBytes: z.number() }) }),
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
    output: z.object({ members: z.number(), tolerates: z.number(), survivesZoneLoss: z.array(z.boolean()), finding: z.object({ level: z.string(), says: z.string() }).nullable() }),
    compute: ({ zones }) => {
      const report = quorum(zones)
      return report ? value(report) : wrong('zones', 'There is no member at all. Give at least one zone with at least one member.')
    },
  }),
]

export const computationNamed = (name: string): Computation | undefined => computations.find((other) => other.name === name)
