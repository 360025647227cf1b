/** Gyrarch’s own register of clusters as a port. Its verbs are idempotent, so an unknown outcome is simply repeated. */
import { z } from 'zod'
import type { Database } from '../records/database'
import { ClusterRow } from '../records/models'

const entry = z.object({
  name: z.string(),
  site: z.string(),
  guarded: z.boolean(),
  labels: z.record(z.string(), z.string()),
  release: z.string(),
  controlPlane: z.union([z.object({ kind: z.literal('own'), count: z.number() }), z.object({ kind: z.literal('managed'), tier: z.enum(['plain', 'assured']) })]),
  pools: z.array(z.object({ name: z.string(), size: z.string(), lifetime: z.enum(['on-demand', 'spot']), range: z.object({ min: z.number(), max: z.number() }).nullable(), taints: z.array(z.object({ key: z.string(), value: z.string(), effect: z.enum(['NoSchedule', 'PreferNoSchedule', 'NoExecute']) })) })),
  pods: z.string(),
  services: z.string(),
  maxPodsPerNode: z.number(),
  endpoint: z.string().nullable(),
})

export async function ledgerCommand(database: Database, verb: string, args: Readonly<Record<string, unknown>>): Promise<{ result: Record<string, unknown>; says: string }> {
  if (verb === 'cluster.enter') {
    const cluster = entry.parse(args)
    await database.write((transaction) => ClusterRow.upsert({ ...cluster, drives: [] }, { transaction }))
    return { result: { cluster: cluster.name, site: cluster.site }, says: `${cluster.name} entered with pods ${cluster.pods} and services ${cluster.services}` }
  }
  if (verb === 'cluster.strike') {
    const name = String(args['name'])
    await database.write((transaction) => ClusterRow.destroy({ where: { name }, transaction }))
    return { result: { cluster: name }, says: `${name} struck` }
  }
  if (verb === 'pool.range') {
    const wish = z.object({ cluster: z.string(), pool: z.string(), range: z.object({ min: z.number(), max: z.number() }).nullable() }).parse(args)
    await database.write(async (transaction) => {
      const row = await ClusterRow.findByPk(wish.cluster, { transaction })
      if (row) await row.update({ pools: row.pools.map((pool) => (pool.name === wish.pool ? { ...pool, range: wish.range } : pool)) }, { transaction })
    })
    return { result: { pool: wish.pool }, says: wish.range ? `${wish.pool} scales between ${wish.range.min} and ${wish.range.max}` : `${wish.pool} no longer scales by itself` }
  }
  throw new Error(`the register has no verb ${verb}`)
}
