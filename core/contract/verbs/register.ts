/** Gyrarch’s own register: clusters, ranges, pools, calendars, prices, and machines that are waited for. */
import { z } from 'zod'
import { ref } from '../refs'
import { labels, taint, tier } from '../shapes'
import { verb } from '../verb'

const register = () => ref('register')
const nothing = () => []

const bounds = z.object({ min: z.number(), max: z.number() }).nullable()

export const registeredPool = z.object({
  name: z.string(),
  size: z.string(),
  lifetime: z.enum(['on-demand', 'spot']),
  range: bounds,
  taints: z.array(taint),
})

export const clusterEnter = verb({
  name: 'cluster.enter',
  port: 'ledger',
  args: z.object({
    name: z.string(),
    site: z.string(),
    guarded: z.boolean(),
    labels,
    release: z.string(),
    controlPlane: z.union([
      z.object({ kind: z.literal('own'), count: z.number() }),
      z.object({ kind: z.literal('managed'), tier }),
    ]),
    pools: z.array(registeredPool),
    pods: z.string(),
    services: z.string(),
    maxPodsPerNode: z.number(),
    endpoint: z.string().nullable(),
  }),
  result: z.object({ cluster: z.string(), site: z.string() }),
  failures: [],
  at: register,
  touches: nothing,
})

/** The labels of a cluster, all of them, and whether it is guarded. */
export const labelsSet = verb({
  name: 'labels.set',
  port: 'ledger',
  args: z.object({ cluster: z.string(), labels, guarded: z.boolean() }),
  result: z.object({}),
  failures: [],
  at: register,
  touches: nothing,
})

export const clusterStrike = verb({
  name: 'cluster.strike',
  port: 'ledger',
  args: z.object({ name: z.string() }),
  result: z.object({ cluster: z.string() }),
  failures: [],
  at: register,
  touches: nothing,
})

const line = z.object({ domain: z.string(), range: z.string(), name: z.string() })

export const rangesEnter = verb({
  name: 'ranges.enter',
  port: 'ledger',
  args: z.object({ add: z.array(line), remove: z.array(line) }),
  result: z.object({ entered: z.number(), struck: z.number() }),
  failures: [],
  at: register,
  touches: nothing,
  makes: ({ add }) => add.map(({ domain, range }) => ref('range', domain, range)),
  removes: ({ remove }) => remove.map(({ domain, range }) => ref('range', domain, range)),
})

export const poolRange = verb({
  name: 'pool.range',
  port: 'ledger',
  args: z.object({ cluster: z.string(), pool: z.string(), range: bounds }),
  result: z.object({ pool: z.string() }),
  failures: [],
  at: register,
  touches: nothing,
})

export const poolSet = verb({
  name: 'pool.set',
  port: 'ledger',
  args: z.object({ cluster: z.string(), pool: registeredPool }),
  result: z.object({ pool: z.string() }),
  failures: [],
  at: register,
  touches: nothing,
  makes: ({ cluster, pool }) => [ref('pool', cluster, pool.name)],
})

export const poolStrike = verb({
  name: 'pool.strike',
  port: 'ledger',
  args: z.object({ cluster: z.string(), pool: z.string() }),
  result: z.object({ pool: z.string() }),
  failures: [],
  at: register,
  touches: nothing,
  removes: ({ cluster, pool }) => [ref('pool', cluster, pool)],
})

export const autoscaleSet = verb({
  name: 'autoscale.set',
  port: 'ledger',
  args: z.object({
    cluster: z.string(),
    policy: z
      .object({ enabled: z.boolean(), order: z.enum(['tightest', 'cheapest', 'listed']) })
      .nullable(),
  }),
  result: z.object({ enabled: z.boolean() }),
  failures: [],
  at: register,
  touches: nothing,
})

export const pricesSet = verb({
  name: 'prices.set',
  port: 'ledger',
  args: z.object({
    prices: z.array(z.object({ site: z.string(), item: z.string(), units: z.number() })),
  }),
  result: z.object({ entered: z.number() }),
  failures: [],
  at: register,
  touches: nothing,
})

/** Where machines at a site reach Gyrarch; null forgets it. */
export const contactSet = verb({
  name: 'contact.set',
  port: 'ledger',
  args: z.object({ site: z.string(), address: z.string().nullable() }),
  result: z.object({ site: z.string() }),
  failures: [],
  at: register,
  touches: nothing,
})

/** What is expected to be reached, or not, from now on. */
export const expectationsKeep = verb({
  name: 'expectations.keep',
  port: 'ledger',
  args: z.object({
    expectations: z.array(
      z.object({
        name: z.string(),
        from: labels,
        to: labels,
        port: z.number(),
        protocol: z.enum(['TCP', 'UDP', 'SCTP']),
        delivered: z.boolean(),
      }),
    ),
  }),
  result: z.object({ kept: z.number() }),
  failures: [],
  at: register,
  touches: nothing,
})

export const expectationsForget = verb({
  name: 'expectations.forget',
  port: 'ledger',
  args: z.object({ names: z.array(z.string()) }),
  result: z.object({}),
  failures: [],
  at: register,
  touches: nothing,
})

export const restSet = verb({
  name: 'rest.set',
  port: 'ledger',
  args: z.object({
    cluster: z.string(),
    rest: z
      .object({
        zone: z.string(),
        windows: z.array(
          z.object({
            days: z.array(z.enum(['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun'])),
            stop: z.string(),
            start: z.string(),
          }),
        ),
      })
      .nullable(),
  }),
  result: z.object({ windows: z.number() }),
  failures: [],
  at: register,
  touches: nothing,
})

/** Ends when the machine’s join script calls. */
export const joinAwait = verb({
  name: 'join.await',
  port: 'ledger',
  args: z.object({
    cluster: z.string(),
    site: z.string(),
    machine: z.string(),
    node: z.string(),
    card: z.string(),
    address: z.string(),
  }),
  result: z.object({ address: z.string(), calledAt: z.string() }),
  failures: ['join-card', 'join-address', 'join-name'],
  at: register,
  touches: nothing,
  awaits: ({ site, machine }) => ref('machine', site, machine),
})

export const joinForget = verb({
  name: 'join.forget',
  port: 'ledger',
  args: z.object({ cluster: z.string(), machine: z.string() }),
  result: z.object({}),
  failures: [],
  at: register,
  touches: nothing,
})

/** A maintenance window, entered or put in the place of the one of that name. */
export const windowSet = verb({
  name: 'window.set',
  port: 'ledger',
  args: z.object({
    name: z.string(),
    start: z.string(),
    zone: z.string(),
    minutes: z.number(),
    rule: z.string().nullable(),
    except: z.array(z.string()),
    clusters: z.array(z.string()),
    labels,
  }),
  result: z.object({ window: z.string() }),
  failures: [],
  at: register,
  touches: nothing,
})

export const windowStrike = verb({
  name: 'window.strike',
  port: 'ledger',
  args: z.object({ name: z.string() }),
  result: z.object({ window: z.string() }),
  failures: [],
  at: register,
  touches: nothing,
})

export const snapshotSchedule = z.object({
  /** Local, `2026-03-03T03:00`. */
  start: z.string(),
  zone: z.string(),
  /** RFC 5545. */
  rule: z.string(),
  keep: z.number(),
})

/** When snapshots of a volume are taken by themselves; null is never. */
export const snapshotsSet = verb({
  name: 'snapshots.set',
  port: 'ledger',
  args: z.object({
    cluster: z.string(),
    volume: z.string(),
    schedule: snapshotSchedule.nullable(),
  }),
  result: z.object({}),
  failures: [],
  at: register,
  touches: nothing,
})
