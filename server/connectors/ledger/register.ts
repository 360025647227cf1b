/**
 * Gyrarch’s own register as a port: clusters, and machines that are waited for. Its verbs are idempotent, so an unknown
 * outcome is simply repeated. A verb may wait for something from outside; its end is then told to the runner later.
 */
import { z } from 'zod'
import { weekdays } from '~/core/scaling'
import type { Database } from '../../records/database'
import { ClusterRow, JoinRow, LedgerRow, PriceRow } from '../../records/models'

const entry = z.object({
  name: z.string(),
  site: z.string(),
  guarded: z.boolean(),
  labels: z.record(z.string(), z.string()),
  release: z.string(),
  controlPlane: z.union([
    z.object({ kind: z.literal('own'), count: z.number() }),
    z.object({ kind: z.literal('managed'), tier: z.enum(['plain', 'assured']) }),
  ]),
  pools: z.array(
    z.object({
      name: z.string(),
      size: z.string(),
      lifetime: z.enum(['on-demand', 'spot']),
      range: z.object({ min: z.number(), max: z.number() }).nullable(),
      taints: z.array(
        z.object({
          key: z.string(),
          value: z.string(),
          effect: z.enum(['NoSchedule', 'PreferNoSchedule', 'NoExecute']),
        }),
      ),
    }),
  ),
  pods: z.string(),
  services: z.string(),
  maxPodsPerNode: z.number(),
  endpoint: z.string().nullable(),
})

const rangeLine = z.object({ domain: z.string(), range: z.string(), name: z.string() })

export type LedgerOutcome =
  { readonly result: Record<string, unknown>; readonly says: string } | { readonly waits: string }

/** What a verb that waits needs to know of where it stands. */
export interface LedgerPlace {
  readonly change: number
  readonly attempt: number
  /** Milliseconds on the clock. */
  readonly now: number
}

export async function ledgerCommand(
  database: Database,
  verb: string,
  args: Readonly<Record<string, unknown>>,
  place: LedgerPlace,
): Promise<LedgerOutcome> {
  if (verb === 'join.await') return awaitJoin(database, args, place)
  if (verb === 'join.forget') {
    await database.write((transaction) =>
      JoinRow.destroy({
        where: { change: place.change, machine: String(args['machine']) },
        transaction,
      }),
    )
    return { result: {}, says: 'no longer waited for' }
  }
  if (verb === 'cluster.enter') {
    const cluster = entry.parse(args)
    await database.write((transaction) =>
      ClusterRow.upsert(
        {
          ...cluster,
          drives: [],
          ...(cluster.pools.some((pool) => pool.range !== null)
            ? { autoscale: { enabled: true, order: 'tightest' as const } }
            : {}),
        },
        { transaction },
      ),
    )
    return {
      result: { cluster: cluster.name, site: cluster.site },
      says: `${cluster.name} entered with pods ${cluster.pods} and services ${cluster.services}`,
    }
  }
  if (verb === 'cluster.strike') {
    const name = String(args['name'])
    await database.write((transaction) => ClusterRow.destroy({ where: { name }, transaction }))
    return { result: { cluster: name }, says: `${name} struck` }
  }
  if (verb === 'ranges.enter') {
    const wish = z.object({ add: z.array(rangeLine), remove: z.array(rangeLine) }).parse(args)
    await database.write(async (transaction) => {
      for (const gone of wish.remove)
        await LedgerRow.destroy({ where: { ...gone }, limit: 1, transaction })
      const known = new Set(
        (await LedgerRow.findAll({ transaction })).map(
          (row) => `${row.domain}\n${row.range}\n${row.name}`,
        ),
      )
      await LedgerRow.bulkCreate(
        wish.add.filter((one) => !known.has(`${one.domain}\n${one.range}\n${one.name}`)),
        { transaction },
      )
    })
    return {
      result: { entered: wish.add.length, struck: wish.remove.length },
      says: `${wish.add.length} entered, ${wish.remove.length} struck`,
    }
  }
  if (verb === 'pool.range') {
    const wish = z
      .object({
        cluster: z.string(),
        pool: z.string(),
        range: z.object({ min: z.number(), max: z.number() }).nullable(),
      })
      .parse(args)
    await database.write(async (transaction) => {
      const row = await ClusterRow.findByPk(wish.cluster, { transaction })
      if (row)
        await row.update(
          {
            pools: row.pools.map((pool) =>
              pool.name === wish.pool ? { ...pool, range: wish.range } : pool,
            ),
          },
          { transaction },
        )
    })
    return {
      result: { pool: wish.pool },
      says: wish.range
        ? `${wish.pool} scales between ${wish.range.min} and ${wish.range.max}`
        : `${wish.pool} no longer scales by itself`,
    }
  }
  if (verb === 'pool.set') {
    const wish = z.object({ cluster: z.string(), pool: entry.shape.pools.element }).parse(args)
    await database.write(async (transaction) => {
      const row = await ClusterRow.findByPk(wish.cluster, { transaction })
      const known = row?.pools.some((pool) => pool.name === wish.pool.name) === true
      if (row)
        await row.update(
          {
            pools: known
              ? row.pools.map((pool) => (pool.name === wish.pool.name ? wish.pool : pool))
              : [...row.pools, wish.pool],
          },
          { transaction },
        )
    })
    return {
      result: { pool: wish.pool.name },
      says: `pool ${wish.pool.name} of ${wish.pool.size} entered`,
    }
  }
  if (verb === 'pool.strike') {
    const wish = z.object({ cluster: z.string(), pool: z.string() }).parse(args)
    await database.write(async (transaction) => {
      const row = await ClusterRow.findByPk(wish.cluster, { transaction })
      if (row)
        await row.update(
          { pools: row.pools.filter((pool) => pool.name !== wish.pool) },
          { transaction },
        )
    })
    return { result: { pool: wish.pool }, says: `pool ${wish.pool} struck` }
  }
  if (verb === 'autoscale.set') {
    const wish = z
      .object({
        cluster: z.string(),
        policy: z
          .object({ enabled: z.boolean(), order: z.enum(['tightest', 'cheapest', 'listed']) })
          .nullable(),
      })
      .parse(args)
    await database.write((transaction) =>
      ClusterRow.update({ autoscale: wish.policy }, { where: { name: wish.cluster }, transaction }),
    )
    return {
      result: { enabled: wish.policy?.enabled === true },
      says:
        wish.policy?.enabled === true
          ? `pools of ${wish.cluster} scale by themselves, ${wish.policy.order}`
          : `pools of ${wish.cluster} stay as they are`,
    }
  }
  if (verb === 'prices.set') {
    const wish = z
      .object({
        prices: z.array(z.object({ site: z.string(), item: z.string(), units: z.number() })),
      })
      .parse(args)
    await database.write((transaction) =>
      PriceRow.bulkCreate(wish.prices, { updateOnDuplicate: ['units'], transaction }),
    )
    return { result: { entered: wish.prices.length }, says: `${wish.prices.length} prices entered` }
  }
  if (verb === 'rest.set') {
    const wish = z
      .object({
        cluster: z.string(),
        rest: z
          .object({
            zone: z.string(),
            windows: z.array(
              z.object({ days: z.array(z.enum(weekdays)), stop: z.string(), start: z.string() }),
            ),
          })
          .nullable(),
      })
      .parse(args)
    // A calendar speaks from now on: what it would have done before it was there is not made up for.
    await database.write((transaction) =>
      ClusterRow.update(
        { rest: wish.rest, restDoneAt: new Date(place.now).toISOString() },
        { where: { name: wish.cluster }, transaction },
      ),
    )
    return {
      result: { windows: wish.rest?.windows.length ?? 0 },
      says: wish.rest
        ? `${wish.cluster} rests in ${wish.rest.windows.length} windows, in ${wish.rest.zone}`
        : `${wish.cluster} no longer rests by itself`,
    }
  }
  throw new Error(`the register has no verb ${verb}`)
}

/** Join scripts are for one use within so many milliseconds. */
export const joinTokenMs = 30 * 60_000

async function awaitJoin(
  database: Database,
  args: Readonly<Record<string, unknown>>,
  place: LedgerPlace,
): Promise<LedgerOutcome> {
  const wish = z
    .object({
      cluster: z.string(),
      site: z.string(),
      machine: z.string(),
      node: z.string(),
      card: z.string(),
      address: z.string(),
    })
    .parse(args)
  const known = await JoinRow.findOne({ where: { change: place.change, machine: wish.machine } })
  const same =
    known &&
    known.card === wish.card &&
    known.address === wish.address &&
    known.round >= place.attempt
  if (same && known.usedAt !== null)
    return {
      result: { address: known.address, calledAt: known.usedAt },
      says: `called at ${known.usedAt.slice(11, 16)}`,
    }
  if (!same) {
    const fresh = {
      ...wish,
      change: place.change,
      round: place.attempt,
      until: new Date(place.now + joinTokenMs).toISOString(),
      usedAt: null,
      facts: null,
      refused: null,
    }
    await database.write((transaction) => JoinRow.upsert(fresh, { transaction }))
  }
  return { waits: `${wish.machine} has not called yet` }
}
