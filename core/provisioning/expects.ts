/**
 * Walks that travel with a draft: what the cluster is to reach, or not, once it stands. An end that names no cluster
 * means the one that is raised; a template carries them from one cluster to the next.
 */
import { z } from 'zod'
import type { Proof } from '../changes'
import type { ExpectationView, FleetView } from '../fleet'
import { expectedIn } from '../wire/expectations'
import { readyWorldOf } from '../wire/from-fleet'
import { portSchema } from '../wire/world'

const text = z.string().min(1).max(253)

export const expectSchema = z.strictObject({
  name: z.string().trim().min(1, 'Give it a name, like “the registry is reached”.').max(150),
  from: z.union(
    [
      z.strictObject({ pod: text, cluster: text.optional() }),
      z.strictObject({ node: text, cluster: text.optional() }),
      z.strictObject({ address: text }),
    ],
    'Give a pod, a node or an address.',
  ),
  to: z.union(
    [
      z.strictObject({ pod: text, cluster: text.optional() }),
      z.strictObject({ service: text, cluster: text.optional() }),
      z.strictObject({ address: text }),
      z.strictObject({ name: text }),
    ],
    'Give a pod, a service, an address or a name.',
  ),
  port: portSchema,
  protocol: z.enum(['TCP', 'UDP', 'SCTP']).default('TCP'),
  delivered: z.boolean().default(true),
})
export type Expect = z.infer<typeof expectSchema>

type End = Readonly<Record<string, string>>

const written = (end: object): End =>
  Object.fromEntries(
    Object.entries(end).filter((entry): entry is [string, string] => typeof entry[1] === 'string'),
  )

const isOfCluster = (end: End): boolean => 'pod' in end || 'node' in end || 'service' in end

/** The expectation as it is kept for a cluster: under a name of its own. */
export function expectationFor(cluster: string, expect: Expect): ExpectationView {
  const of = (end: object): End => {
    const plain = written(end)
    return isOfCluster(plain) && plain['cluster'] === undefined ? { ...plain, cluster } : plain
  }
  const { name, port, protocol, delivered } = expect
  return {
    name: `${name} (${cluster})`,
    from: of(expect.from),
    to: of(expect.to),
    port,
    protocol,
    delivered,
  }
}

/** What is expected of a cluster, as it travels: without its name. Walks between others are left out. */
export function expectsOf(
  cluster: string,
  expectations: readonly ExpectationView[],
): readonly Expect[] {
  const of = (end: End): End =>
    Object.fromEntries(
      Object.entries(end).filter(([key, value]) => key !== 'cluster' || value !== cluster),
    )
  return expectations
    .filter(({ from, to }) => from['cluster'] === cluster || to['cluster'] === cluster)
    .flatMap(({ name, from, to, port, protocol, delivered }) => {
      const read = expectSchema.safeParse({
        name: name.replace(` (${cluster})`, ''),
        from: of(from),
        to: of(to),
        port,
        protocol,
        delivered,
      })
      // A node stays behind with its cluster.
      return read.success && !('node' in read.data.from && read.data.from.cluster === undefined)
        ? [read.data]
        : []
    })
}

/** The walks of a cluster that stands, walked: one proof each. */
export function expectProofs(
  cluster: string,
  expects: readonly Expect[],
  view: FleetView,
): readonly Proof[] {
  if (expects.length === 0) return []
  const read = readyWorldOf(view)
  return expects.map((expect) => {
    const expectation = expectationFor(cluster, expect)
    const walked = read.ok ? expectedIn(read.world, expectation) : null
    return {
      says: `${expectation.name}: ${expectation.delivered ? 'reached' : 'not reached'}`,
      holds: walked?.holds === true,
      observed: walked?.says ?? 'it could not be walked',
    }
  })
}
