/**
 * Gyrarch’s own register as a connector: clusters, ranges, pools, calendars, prices, and machines that are waited for.
 * Its verbs are idempotent, so an unknown outcome is simply repeated. A verb may wait for a call from outside; its end
 * is then told by whoever takes the call.
 */
import { said } from './says'
import {
  type ArgsOf,
  type Connector,
  type ConnectorClock,
  type ConnectorListener,
  type DefinitionOf,
  type Ended,
  type Origin,
  type Outcome,
  readCommand,
  type VerbName,
  quoted,
  saidOf,
} from '~/core/contract'
import type { Database } from '../../records/database'
import type { Done, Place } from './done'
import { enterShipment, setSnapshots, strikeShipment } from './storage-works'
import {
  ClusterRow,
  ContactRow,
  ExpectationRow,
  JoinRow,
  LedgerRow,
  PriceRow,
  WindowRow,
} from '../../records/models'

/** Join scripts are for one use within so many milliseconds of real time. */
export const joinTokenMs = 30 * 60_000

type RegisterVerb = {
  [Name in VerbName]: DefinitionOf<Name>['port'] extends 'ledger' ? Name : never
}[VerbName]

type Work<Args> = { of(database: Database, args: Args, place: Place): Promise<Done> }['of']

async function enterCluster(database: Database, args: ArgsOf<'cluster.enter'>): Promise<Done> {
  const scales = args.pools.some((pool) => pool.range !== null)
  const row = {
    ...args,
    labels: { ...args.labels },
    pools: args.pools.map((pool) => ({ ...pool, taints: [...pool.taints] })),
    drives: [],
    ...(scales ? { autoscale: { enabled: true, order: 'tightest' as const } } : {}),
  }
  await database.write((transaction) => ClusterRow.upsert(row, { transaction }))
  return {
    result: { cluster: args.name, site: args.site },
    ...said('cluster.entered', { cluster: args.name, pods: args.pods, services: args.services }),
  }
}

async function setLabels(
  database: Database,
  { cluster, labels, guarded }: ArgsOf<'labels.set'>,
): Promise<Done> {
  await database.write((transaction) =>
    ClusterRow.update(
      { labels: { ...labels }, guarded },
      { where: { name: cluster }, transaction },
    ),
  )
  return {
    result: {},
    ...said('labels.set', { cluster, count: Object.keys(labels).length, guarded }),
  }
}

async function strikeCluster(database: Database, args: ArgsOf<'cluster.strike'>): Promise<Done> {
  const { name } = args
  await database.write((transaction) => ClusterRow.destroy({ where: { name }, transaction }))
  return { result: { cluster: name }, ...said('cluster.struck', { cluster: name }) }
}

async function enterRanges(database: Database, args: ArgsOf<'ranges.enter'>): Promise<Done> {
  const keyOf = (line: { domain: string; range: string; name: string }): string =>
    `${line.domain}\n${line.range}\n${line.name}`
  await database.write(async (transaction) => {
    for (const gone of args.remove)
      await LedgerRow.destroy({ where: { ...gone }, limit: 1, transaction })
    const cache = new Set((await LedgerRow.findAll({ transaction })).map(keyOf))
    await LedgerRow.bulkCreate(
      args.add.filter((line) => !cache.has(keyOf(line))),
      { transaction },
    )
  })
  return {
    result: { entered: args.add.length, struck: args.remove.length },
    ...said('ranges.entered', { entered: args.add.length, struck: args.remove.length }),
  }
}

/** Rewrites the pools of a registered cluster; one that is not there is left alone. */
async function withPools(
  database: Database,
  cluster: string,
  change: (pools: ClusterRow['pools']) => ClusterRow['pools'],
): Promise<void> {
  await database.write(async (transaction) => {
    const row = await ClusterRow.findByPk(cluster, { transaction })
    if (row) await row.update({ pools: change(row.pools) }, { transaction })
  })
}

async function setRange(database: Database, args: ArgsOf<'pool.range'>): Promise<Done> {
  const { cluster, pool, range } = args
  await withPools(database, cluster, (pools) =>
    pools.map((otherPool) => (otherPool.name === pool ? { ...otherPool, range } : otherPool)),
  )
  return {
    result: { pool },
    ...(range
      ? said('pool.scales', { pool, min: range.min, max: range.max })
      : said('pool.scales-no-more', { pool })),
  }
}

async function setPool(database: Database, args: ArgsOf<'pool.set'>): Promise<Done> {
  const pool = { ...args.pool, taints: [...args.pool.taints] }
  await withPools(database, args.cluster, (pools) =>
    pools.some((otherPool) => otherPool.name === pool.name)
      ? pools.map((otherPool) => (otherPool.name === pool.name ? pool : otherPool))
      : [...pools, pool],
  )
  return {
    result: { pool: pool.name },
    ...said('pool.entered', { pool: pool.name, size: pool.size }),
  }
}

async function strikePool(database: Database, args: ArgsOf<'pool.strike'>): Promise<Done> {
  await withPools(database, args.cluster, (pools) =>
    pools.filter((pool) => pool.name !== args.pool),
  )
  return { result: { pool: args.pool }, ...said('pool.struck', { pool: args.pool }) }
}

async function setAutoscale(database: Database, args: ArgsOf<'autoscale.set'>): Promise<Done> {
  const { cluster, policy } = args
  await database.write((transaction) =>
    ClusterRow.update({ autoscale: policy }, { where: { name: cluster }, transaction }),
  )
  return {
    result: { enabled: policy?.enabled === true },
    ...(policy?.enabled === true
      ? said('autoscale.on', { cluster, order: policy.order })
      : said('autoscale.off', { cluster })),
  }
}

async function setPrices(database: Database, args: ArgsOf<'prices.set'>): Promise<Done> {
  await database.write((transaction) =>
    PriceRow.bulkCreate([...args.prices], { updateOnDuplicate: ['units'], transaction }),
  )
  return {
    result: { entered: args.prices.length },
    ...said('prices.entered', { entered: args.prices.length }),
  }
}

/** A calendar speaks from now on: what it would have done before it was there is not made up for. */
async function setRest(
  database: Database,
  args: ArgsOf<'rest.set'>,
  { now }: Place,
): Promise<Done> {
  const rest = args.rest && {
    zone: args.rest.zone,
    windows: args.rest.windows.map((window) => ({ ...window, days: [...window.days] })),
  }
  await database.write((transaction) =>
    ClusterRow.update(
      { rest, restDoneAt: new Date(now).toISOString() },
      { where: { name: args.cluster }, transaction },
    ),
  )
  return {
    result: { windows: rest?.windows.length ?? 0 },
    ...(rest
      ? said('rest.windows', {
          cluster: args.cluster,
          windows: rest.windows.length,
          zone: rest.zone,
        })
      : said('rest.none', { cluster: args.cluster })),
  }
}

async function setContact(database: Database, args: ArgsOf<'contact.set'>): Promise<Done> {
  const { site, address } = args
  await database.write(async (transaction) => {
    if (address === null) await ContactRow.destroy({ where: { site }, transaction })
    else await ContactRow.upsert({ site, address }, { transaction })
  })
  return {
    result: { site },
    ...(address === null
      ? said('contact.forgotten', { site })
      : said('contact.entered', { site, address })),
  }
}

async function keepExpectations(
  database: Database,
  { expectations }: ArgsOf<'expectations.keep'>,
): Promise<Done> {
  await database.write(async (transaction) => {
    for (const expectation of expectations)
      await ExpectationRow.upsert(
        { ...expectation, from: { ...expectation.from }, to: { ...expectation.to } },
        { transaction },
      )
  })
  return {
    result: { kept: expectations.length },
    ...said('expectations.kept', { names: expectations.map(({ name }) => name) }),
  }
}

async function forgetExpectations(
  database: Database,
  { names }: ArgsOf<'expectations.forget'>,
): Promise<Done> {
  await database.write((transaction) =>
    ExpectationRow.destroy({ where: { name: [...names] }, transaction }),
  )
  return { result: {}, ...said('expectations.forgotten', { names: [...names] }) }
}

async function setWindow(database: Database, args: ArgsOf<'window.set'>): Promise<Done> {
  const { name } = args
  await database.write((transaction) =>
    WindowRow.upsert(
      {
        ...args,
        except: [...args.except],
        clusters: [...args.clusters],
        labels: { ...args.labels },
      },
      { transaction },
    ),
  )
  return { result: { window: name }, ...said('window.kept', { window: name }) }
}

async function strikeWindow(database: Database, { name }: ArgsOf<'window.strike'>): Promise<Done> {
  await database.write((transaction) => WindowRow.destroy({ where: { name }, transaction }))
  return { result: { window: name }, ...said('window.struck', { window: name }) }
}

async function awaitJoin(
  database: Database,
  args: ArgsOf<'join.await'>,
  place: Place,
): Promise<Done> {
  const row = await JoinRow.findOne({ where: { change: place.change, machine: args.machine } })
  const isSame =
    row && row.card === args.card && row.address === args.address && row.round >= place.attempt
  if (isSame && row.usedAt !== null)
    return {
      result: { address: row.address, calledAt: row.usedAt },
      ...said('join.called', { at: row.usedAt.slice(11, 16) }),
    }
  if (!isSame) {
    const fresh = {
      ...args,
      change: place.change,
      round: place.attempt,
      until: new Date(place.wall + joinTokenMs).toISOString(),
      usedAt: null,
      facts: null,
      refused: null,
    }
    await database.write((transaction) => JoinRow.upsert(fresh, { transaction }))
  }
  return null
}

async function forgetJoin(
  database: Database,
  args: ArgsOf<'join.forget'>,
  { change }: Place,
): Promise<Done> {
  await database.write((transaction) =>
    JoinRow.destroy({ where: { change, machine: args.machine }, transaction }),
  )
  return { result: {}, ...said('join.forgotten') }
}

const works: { readonly [Name in RegisterVerb]: Work<ArgsOf<Name>> } = {
  'cluster.enter': enterCluster,
  'cluster.strike': strikeCluster,
  'ranges.enter': enterRanges,
  'pool.range': setRange,
  'pool.set': setPool,
  'pool.strike': strikePool,
  'autoscale.set': setAutoscale,
  'labels.set': setLabels,
  'prices.set': setPrices,
  'rest.set': setRest,
  'contact.set': setContact,
  'expectations.keep': keepExpectations,
  'expectations.forget': forgetExpectations,
  'window.set': setWindow,
  'window.strike': strikeWindow,
  'snapshots.set': setSnapshots,
  'shipment.enter': enterShipment,
  'shipment.strike': strikeShipment,
  'join.await': awaitJoin,
  'join.forget': forgetJoin,
}

const byVerb: ReadonlyMap<string, Work<Readonly<Record<string, unknown>>>> = new Map(
  Object.entries(works),
)

export class Register implements Connector {
  readonly name = 'register'
  private listener: ConnectorListener | null = null

  constructor(
    private readonly database: Database,
    readonly clock: ConnectorClock,
    /** Told whenever something was written. */
    private readonly written: () => void,
  ) {}

  connect(listener: ConnectorListener): void {
    this.listener = listener
  }

  async issue(
    key: string,
    verb: string,
    args: Readonly<Record<string, unknown>>,
    origin: Origin,
  ): Promise<void> {
    const at = this.clock.now
    const ended = (outcome: Pick<Ended, 'result' | 'failure' | 'evidence'>): void =>
      this.listener?.ended(key, { known: true, ended: true, at, ...outcome })
    const read = readCommand(verb, args)
    const work = byVerb.get(verb)
    if (!read.ok || !work) {
      const reason = read.ok ? 'unknown-verb' : read.reason
      const objection = read.ok ? said('verb.unknown', { verb }) : quoted(reason, read.says)
      ended({
        result: null,
        failure: { class: 'permanent', reason, ...objection, chain: [] },
        evidence: [],
      })
      return
    }
    const done = await work(this.database, read.args, { ...origin, now: at, wall: Date.now() })
    this.written()
    if (done) ended({ result: done.result, failure: null, evidence: [{ at, ...saidOf(done) }] })
  }

  /** Nothing is kept by key: repeating a verb does what it did. */
  async lookup(): Promise<Outcome> {
    return { known: false }
  }
}
