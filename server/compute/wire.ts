/** The computations about what can reach what: network policy, the packet walk, the review of a firewall, routes. */
import { z } from 'zod'
import { parseAddress } from '~/core/addresses'
import { saidShape } from '~/core/contract'
import { isOfKind, readObjects } from '~/core/objects'
import {
  asEnd,
  type BadText,
  firewallRuleSchema,
  fromSchema,
  policyIn,
  policyOut,
  type PolicyEnd,
  type PolicyWorld,
  portSchema,
  prepareWorld,
  protocolSchema,
  readPolicyWorld,
  readRoutes,
  type ReadyWorld,
  reviewFirewall,
  routeRequest,
  toSchema,
  walk,
  walkAnswer,
  type WalkQuery,
  walkRemedies,
  walkWorldSchema,
} from '~/core/wire'
import { computation, objects, value, wrong, type Computed } from './computation'

const text = z.string().max(1000)
const header = z.object({ source: z.string(), destination: z.string(), port: z.number() })
const decider = z.union([z.string(), z.array(z.string())])
const side = z.object({ isolated: z.boolean(), by: z.array(z.string()) })
const ends = z.union(
  [z.strictObject({ pod: text }), z.strictObject({ address: text })],
  'Give a pod as namespace/name, or an address.',
)
const walked = {
  verdict: z.enum(['delivered', 'dropped']),
  hops: z.array(
    saidShape.extend({
      hop: z.string(),
      before: header.nullable(),
      after: header.nullable(),
      by: decider,
    }),
  ),
  decided: z.object({ hop: z.string().nullable(), by: decider }),
  mtu: z.object({ smallest: z.number(), at: z.string(), overhead: z.number() }).nullable(),
}

function endOf(
  world: PolicyWorld,
  given: z.infer<typeof ends>,
  path: string,
): PolicyEnd | Computed {
  if ('pod' in given) {
    const pod = world.pods.get(given.pod.includes('/') ? given.pod : `default/${given.pod}`)
    return pod
      ? { pod }
      : wrong(
          `${path}.pod`,
          `There is no pod ${given.pod.slice(0, 80)} among the objects. Write it as namespace/name.`,
        )
  }
  const address = parseAddress(given.address)
  return address.ok ? asEnd(world, address.value) : wrong(`${path}.address`, address.says)
}

/** More endpoints than this are not walked one by one. */
const mostEndpoints = 1000

/** Bytes that a packet may have, before the overlay takes its part; a note where a size asked about does not pass. */
function notesOf(
  match: {
    readonly mtu: {
      readonly smallest: number
      readonly at: string
      readonly overhead: number
    } | null
  },
  bytes: number | undefined,
): readonly string[] {
  const { mtu } = match
  if (!mtu || bytes === undefined) return []
  const room = mtu.smallest - mtu.overhead
  return bytes > room
    ? [
        `A packet of ${bytes} bytes does not pass: ${mtu.at} takes ${mtu.smallest}${mtu.overhead > 0 ? `, of which the overlay needs ${mtu.overhead}` : ''}. Up to ${room} bytes pass.`,
      ]
    : []
}

function oneWalk(world: ReadyWorld, query: WalkQuery, nth: number, bytes: number | undefined) {
  const walkRead = walk(world, query, nth)
  if (!walkRead.ok) return walkRead
  const answer = walkAnswer(walkRead.walk)
  return {
    ok: true as const,
    delivered: walkRead.walk.delivered,
    choices: walkRead.walk.choices,
    answer: {
      ...answer,
      remedies: walkRemedies(world, query, walkRead.walk, nth),
      notes: notesOf(walkRead.walk, bytes),
    },
  }
}

export const wireComputations = [
  computation({
    name: 'network-policy',
    says: 'Whether network policies let one end reach the other, and which of them decided.',
    mostMiB: 256,
    input: z.object({
      objects,
      from: ends,
      to: ends,
      port: portSchema,
      protocol: protocolSchema.default('TCP'),
    }),
    output: z.object({ allowed: z.boolean(), egress: side, ingress: side }),
    compute: ({ objects: given, from, to, port, protocol }) => {
      const read = readObjects(given)
      if (read.wrong) return wrong(read.wrong.path, read.wrong.says)
      const bad: BadText[] = []
      const world = readPolicyWorld(read.located, 'objects', bad)
      const [first] = bad
      if (first) return wrong(first.path, first.says)
      const source = endOf(world, from, 'from')
      if ('ok' in source) return source
      const goal = endOf(world, to, 'to')
      if ('ok' in goal) return goal
      const egress = policyOut(world, source, goal, port, protocol)
      const ingress = policyIn(world, source, goal, port, protocol)
      return value({
        allowed: egress.allowed && ingress.allowed,
        egress: { isolated: egress.isolated, by: egress.by },
        ingress: { isolated: ingress.isolated, by: ingress.by },
      })
    },
  }),
  computation({
    name: 'packet-walk',
    says: 'The way of a packet, hop by hop: as whom it travels, who decided, and what would let it through.',
    mostMiB: 256,
    input: z.object({
      world: walkWorldSchema,
      from: fromSchema,
      to: toSchema,
      port: portSchema,
      protocol: protocolSchema.default('TCP'),
      endpoints: z.enum(['first', 'all']).default('first'),
      bytes: z.int().min(1).max(65_535).optional(),
    }),
    output: z.object({
      ...walked,
      remedies: z.array(
        z.object({
          kind: z.string(),
          says: z.string(),
          patch: z.array(z.object({ op: z.string(), path: z.string(), value: z.unknown() })),
        }),
      ),
      notes: z.array(z.string()),
      walks: z.array(z.object(walked)).optional(),
    }),
    compute: ({ world: given, from, to, port, protocol, endpoints, bytes }) => {
      const read = prepareWorld(given)
      if (!read.ok) return wrong(read.path, read.says)
      const query = { from, to, port, protocol }
      const first = oneWalk(read.world, query, 0, bytes)
      if (!first.ok) return wrong(first.path, first.says)
      if (endpoints === 'first') return value(first.answer)
      const all = [first]
      for (let nth = 1; nth < Math.min(first.choices, mostEndpoints); nth++) {
        const next = oneWalk(read.world, query, nth, bytes)
        if (next.ok) all.push(next)
      }
      // The answer as a whole is that of the first endpoint that is not reached; of the first one where all are.
      const told = all.find((entry) => !entry.delivered) ?? first
      return value({
        ...told.answer,
        walks: all.map(({ answer: { verdict, hops, decided, mtu } }) => ({
          verdict,
          hops,
          decided,
          mtu,
        })),
      })
    },
  }),
  computation({
    name: 'firewall-review',
    says: 'Which rules of a firewall can never decide, which only repeat later ones, which are off.',
    input: z.object({ rules: z.array(firewallRuleSchema).max(20_000) }),
    output: z.object({
      unreachable: z.array(
        z.object({
          rule: z.string(),
          by: z.array(z.string()),
          opposite: z.union([z.boolean(), z.literal('partly')]),
        }),
      ),
      redundant: z.array(z.object({ rule: z.string(), by: z.array(z.string()) })),
      disabled: z.array(z.string()),
      undecided: z.array(z.string()),
    }),
    compute: ({ rules }) => {
      const reviewRead = reviewFirewall(rules)
      return reviewRead.ok ? value(reviewRead.review) : wrong(reviewRead.path, reviewRead.says)
    },
  }),
  computation({
    name: 'route-request',
    says: 'Which HTTPRoute takes a request, and what share each backend has of it.',
    input: z.object({
      objects: z.array(z.unknown()).max(20_000),
      request: z.object({
        host: z.string().max(1000),
        path: z
          .string()
          .max(20_000)
          .startsWith('/', 'A path begins with a slash.')
          .refine(
            (path) => !path.includes('?'),
            'The path has no query: give its parts in `query`.',
          ),
        method: z
          .string()
          .max(40)
          .default('GET')
          .transform((method) => method.toUpperCase()),
        headers: z.record(z.string().max(1000), z.string().max(20_000)).default({}),
        query: z.record(z.string().max(1000), z.string().max(20_000)).default({}),
      }),
    }),
    output: z.union([
      z.object({
        route: z.string(),
        rule: z.number(),
        backends: z.array(z.object({ name: z.string(), share: z.number() })),
      }),
      z.object({ route: z.null() }),
    ]),
    compute: ({ objects: given, request }) => {
      const read = readObjects(given)
      if (read.wrong) return wrong(read.wrong.path, read.wrong.says)
      const routes = readRoutes(
        read.located.flatMap(({ object, pointer }) =>
          isOfKind(object, 'HTTPRoute')
            ? [
                {
                  object,
                  path: `objects${pointer.replace(/\/(\d+)/g, '[$1]').replaceAll('/', '.')}`,
                },
              ]
            : [],
        ),
      )
      if (!routes.ok) return wrong(routes.path, routes.says)
      return value(routeRequest(routes.routes, request) ?? { route: null })
    },
  }),
]
