/** The fleet at a glance, and what has happened to it. */
import { z } from 'zod'
import { elsewhere, type FleetNode } from '~/core/fleet'
import { version } from '../gyrarch'
import type { Route } from './route'
import { ok, wholeText } from './answers'
import { state } from './shapes'

/** A place in the fleet, as the API shows it. */
export const treeEntry = (node: FleetNode) => ({ name: node.name, state: node.state })

const place = z.object({ name: z.string(), state })

const fleet = z.object({
  version: z.number(),
  now: z.string(),
  totals: z.object({
    sites: z.number(),
    clusters: z.number(),
    nodes: z.number(),
    pods: z.number(),
    cpuMilli: z.number(),
    requestedCpuMilli: z.number(),
    memoryBytes: z.number(),
    requestedMemoryBytes: z.number(),
    spendPerMonth: z.number(),
  }),
  sites: z.array(
    place.extend({
      /** `elsewhere` holds what was enrolled. */
      kind: z.enum(['hall', 'cloud', 'edge', elsewhere]),
      clusters: z.array(
        place.extend({
          guarded: z.boolean(),
          release: z.string().nullable(),
          pools: z.array(place.extend({ nodes: z.array(place) })),
        }),
      ),
    }),
  ),
})

const journalEntry = z.object({
  seq: z.number(),
  at: z.string(),
  wall: z.string(),
  kind: z.string(),
  change: z.string().nullable(),
  about: z.string().nullable(),
  says: z.string(),
  /** What the sentence tells, by name. */
  params: z.record(z.string(), z.unknown()),
  /** By whom: a person, a policy, or Gyrarch itself. */
  by: z.string(),
})

export const fleetRoutes: readonly Route[] = [
  {
    method: 'get',
    path: '/health',
    says: 'Whether the server answers, and how long its event loop was held since that was last asked.',
    answer: z.object({
      ok: z.boolean(),
      version: z.string(),
      stall: z.object({ longestMs: z.number(), p99Ms: z.number() }),
    }),
    handle: async (gyrarch) => ok({ ok: true, version, stall: gyrarch.stalls.take() }),
  },
  {
    method: 'get',
    path: '/fleet',
    says: 'The whole fleet with its states.',
    past: true,
    answer: fleet,
    handle: async (gyrarch, { fleet }) => {
      const view = await fleet.view()
      const tree = gyrarch.tree(view)
      const byName = new Map(view.clusters.map((cluster) => [cluster.name, cluster]))
      const kindOf = new Map(view.sites.map((site) => [site.name, site.kind]))
      return ok({
        version: view.version,
        now: view.now,
        totals: {
          sites: view.sites.length,
          clusters: view.clusters.length,
          nodes: tree.nodes,
          pods: view.clusters.reduce((sum, cluster) => sum + cluster.podCount, 0),
          cpuMilli: tree.cpuMilli,
          requestedCpuMilli: tree.requestedCpuMilli,
          memoryBytes: tree.memoryBytes,
          requestedMemoryBytes: tree.requestedMemoryBytes,
          spendPerMonth: tree.spend,
        },
        sites: tree.children.map((site) => ({
          name: site.name,
          kind: kindOf.get(site.name) ?? elsewhere,
          state: site.state,
          clusters: site.children.map((cluster) => ({
            ...treeEntry(cluster),
            guarded: byName.get(cluster.name)?.guarded ?? false,
            release: cluster.release,
            pools: cluster.children.map((pool) => ({
              ...treeEntry(pool),
              nodes: pool.children.map(treeEntry),
            })),
          })),
        })),
      })
    },
  },
  {
    method: 'get',
    path: '/events',
    says: 'The journal in pages, oldest first.',
    query: z.object({
      after: wholeText(Number.MAX_SAFE_INTEGER).optional(),
      limit: wholeText(1000).optional(),
    }),
    answer: z.object({ events: z.array(journalEntry), next: z.number().nullable() }),
    handle: async (gyrarch, { query }) => {
      const { after, limit } = query as { after?: number; limit?: number }
      const max = Math.max(1, limit ?? 200)
      const events = await gyrarch.journal({ after: after ?? 0, limit: max })
      return ok({ events, next: events.length === max ? (events.at(-1)?.seq ?? null) : null })
    },
  },
]
