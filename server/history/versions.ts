/**
 * Append-only versions of what was observed, in a database of their own. A version is kept whole, or as its difference
 * against the last whole one; a whole one comes at least every fifty.
 */
import { promisify } from 'node:util'
import { deflateRaw, inflateRaw } from 'node:zlib'
import {
  type CreationOptional,
  DataTypes,
  type InferAttributes,
  type InferCreationAttributes,
  Model,
  Op,
  QueryTypes,
  type Sequelize,
} from 'sequelize'
import { delta, type Delta, type Json, keptOf, staying, withDelta } from '~/core/history'
import { type Database, type Migration, openDatabase } from '../records/database'

const pack = promisify(deflateRaw)
const unpack = promisify(inflateRaw)

/** A whole version comes at least every so many. */
const mostDeltas = 50
/** So many slices are held as they were last written, and so many versions as they were last read. */
const mostHeld = 96
const mostRead = 240
/** Room is made once this much of the cap is taken; so many versions go in one transaction. */
const roomShare = 0.8
const mostAtOnce = 500

/** `known`: as it was observed. `unheard`: it was asked and did not answer. `gone`: it is not there any more. */
export type VersionState = 'known' | 'unheard' | 'gone'

export class VersionRow extends Model<
  InferAttributes<VersionRow>,
  InferCreationAttributes<VersionRow>
> {
  declare id: CreationOptional<number>
  declare slice: string
  /** Counts the versions of its slice. */
  declare version: number
  /** Clock time (ms). */
  declare at: number
  declare state: VersionState
  /** The whole version that `body` is a difference against; null where it is whole itself. */
  declare base: number | null
  declare body: Buffer | null
  declare bytes: number
}

const migrations: readonly Migration[] = [
  {
    name: '0001-versions',
    up: async ({ sequelize }) => {
      for (const statement of [
        `CREATE TABLE versions (id INTEGER PRIMARY KEY AUTOINCREMENT, slice TEXT NOT NULL, version INTEGER NOT NULL, at INTEGER NOT NULL, state TEXT NOT NULL, base INTEGER, body BLOB, bytes INTEGER NOT NULL)`,
        `CREATE INDEX versions_slice ON versions (slice, at)`,
        `CREATE INDEX versions_at ON versions (at)`,
        `CREATE INDEX versions_base ON versions (base)`,
        `CREATE TABLE marks (name TEXT PRIMARY KEY, value INTEGER NOT NULL)`,
      ])
        await sequelize.query(statement)
    },
  },
]

function define(sequelize: Sequelize): void {
  VersionRow.init(
    {
      id: { type: DataTypes.INTEGER, primaryKey: true, autoIncrement: true },
      slice: { type: DataTypes.STRING, allowNull: false },
      version: { type: DataTypes.INTEGER, allowNull: false },
      at: { type: DataTypes.INTEGER, allowNull: false },
      state: { type: DataTypes.STRING, allowNull: false },
      base: { type: DataTypes.INTEGER, allowNull: true },
      body: { type: DataTypes.BLOB, allowNull: true },
      bytes: { type: DataTypes.INTEGER, allowNull: false },
    },
    { sequelize, timestamps: false, tableName: 'versions' },
  )
}

/** Which version it is, without what it holds. */
export interface Version {
  readonly id: number
  readonly slice: string
  readonly version: number
  readonly at: number
  readonly state: VersionState
  readonly base: number | null
}

/** A slice as it was last written, to compare the next observation with. */
interface Held {
  readonly version: number
  readonly state: VersionState
  readonly content: Json
  readonly whole: { readonly id: number; readonly content: Json; readonly length: number } | null
  readonly deltas: number
}

export interface Observation {
  readonly slice: string
  readonly state: VersionState
  /** Null unless it is known. */
  readonly content: Json
}

const withoutBody = ['id', 'slice', 'version', 'at', 'state', 'base'] as const

type NewRow = Omit<InferCreationAttributes<VersionRow>, 'id'>

/** Keeps the most recently used entries of a map. */
function trim(map: Map<unknown, unknown>, limit: number): void {
  for (const key of map.keys()) {
    if (map.size <= limit) return
    map.delete(key)
  }
}

export class Versions {
  private readonly held = new Map<string, Held>()
  private readonly read = new Map<number, Json>()

  private constructor(private readonly database: Database) {}

  static async open(file: string): Promise<Versions> {
    return new Versions(await openDatabase(file, migrations, define))
  }

  /** Appends what differs from what was last observed of each slice; tells how many versions that were. */
  async append(at: number, observations: readonly Observation[]): Promise<number> {
    const rows: { row: NewRow; next: Held }[] = []
    for (const observation of observations) {
      const prepared = await this.prepare(at, observation)
      if (prepared) rows.push(prepared)
    }
    if (rows.length === 0) return 0
    await this.database.write(async (transaction) => {
      for (const { row, next } of rows) {
        const { id } = await VersionRow.create(row, { transaction })
        const isWhole = row.base === null && row.state === 'known'
        this.hold(row.slice, {
          ...next,
          whole: isWhole
            ? { id, content: next.content, length: next.whole?.length ?? 0 }
            : next.whole,
        })
      }
    })
    return rows.length
  }

  private async prepare(
    at: number,
    { slice, state, content }: Observation,
  ): Promise<{ row: NewRow; next: Held } | null> {
    const held = this.held.get(slice) ?? (await this.lastOf(slice))
    const version = (held?.version ?? 0) + 1
    const row = { slice, version, at, state }
    if (state !== 'known') {
      if (held === null || held.state === state) return null
      return {
        row: { ...row, base: null, body: null, bytes: 0 },
        next: { ...held, version, state },
      }
    }
    const difference = held ? delta(held.content, content) : { set: content }
    if (!difference && held?.state === 'known') return null
    // Shares with the former content what is the same.
    const shared =
      held && difference ? withDelta(held.content, difference) : (held?.content ?? content)
    if (held?.whole && held.deltas < mostDeltas) {
      const text = JSON.stringify(delta(held.whole.content, shared) ?? { fields: {}, gone: [] })
      if (text.length * 2 < held.whole.length || text.length < 200) {
        const body = await pack(text)
        return {
          row: { ...row, base: held.whole.id, body, bytes: body.length },
          next: { ...held, version, state, content: shared, deltas: held.deltas + 1 },
        }
      }
    }
    const text = JSON.stringify(shared)
    const body = await pack(text)
    return {
      row: { ...row, base: null, body, bytes: body.length },
      next: {
        version,
        state,
        content: shared,
        whole: { id: 0, content: shared, length: text.length },
        deltas: 0,
      },
    }
  }

  private hold(slice: string, held: Held): void {
    this.held.delete(slice)
    this.held.set(slice, held)
    trim(this.held, mostHeld)
  }

  /** A slice as it was last written, read back. */
  private async lastOf(slice: string): Promise<Held | null> {
    const order: [string, string][] = [['id', 'DESC']]
    const last = await VersionRow.findOne({ where: { slice }, order, attributes: [...withoutBody] })
    if (!last) return null
    const lastKnown =
      last.state === 'known'
        ? last
        : await VersionRow.findOne({
            where: { slice, state: 'known' },
            order,
            attributes: [...withoutBody],
          })
    if (!lastKnown) return null
    const id = lastKnown.base ?? lastKnown.id
    const whole = await this.content({ ...lastKnown.get({ plain: true }), id, base: null })
    return {
      version: last.version,
      state: last.state,
      content: await this.content(lastKnown),
      whole: { id, content: whole, length: JSON.stringify(whole).length },
      deltas: await VersionRow.count({ where: { base: id } }),
    }
  }

  /** What a known version holds. */
  async content(version: Version): Promise<Json> {
    const before = this.read.get(version.id)
    if (before !== undefined) {
      this.read.delete(version.id)
      this.read.set(version.id, before)
      return before
    }
    const row = await VersionRow.findByPk(version.id, { attributes: ['body'] })
    const body = row?.body ? (JSON.parse(String(await unpack(row.body))) as unknown) : null
    const content =
      version.base === null
        ? (body as Json)
        : withDelta(await this.content({ ...version, id: version.base, base: null }), body as Delta)
    this.read.set(version.id, content)
    trim(this.read, mostRead)
    return content
  }

  /** The version of every slice that stood at a time (ms), by its name; slices whose first came later are missing. */
  async standing(at: number): Promise<ReadonlyMap<string, Version>> {
    const rows = await this.database.sequelize.query<Version>(
      `SELECT v.id, v.slice, v.version, v.at, v.state, v.base FROM versions v JOIN (SELECT MAX(id) AS id FROM versions WHERE at <= :at GROUP BY slice) last ON last.id = v.id`,
      { type: QueryTypes.SELECT, replacements: { at } },
    )
    return new Map(rows.map((row) => [row.slice, row]))
  }

  /** Versions of some slices within a time (ms, both ends among them), oldest first. */
  async between(
    slices: readonly string[] | null,
    from: number,
    until: number,
    limit: number,
  ): Promise<readonly Version[]> {
    const rows = await VersionRow.findAll({
      where: {
        at: { [Op.between]: [from, until] },
        ...(slices ? { slice: { [Op.in]: [...slices] } } : {}),
      },
      order: [['id', 'ASC']],
      limit,
      attributes: [...withoutBody],
    })
    return rows.map((row) => row.get({ plain: true }))
  }

  /** The version of a slice before one, or null. */
  async before(version: Version): Promise<Version | null> {
    const row = await VersionRow.findOne({
      where: { slice: version.slice, id: { [Op.lt]: version.id } },
      order: [['id', 'DESC']],
      attributes: [...withoutBody],
    })
    return row?.get({ plain: true }) ?? null
  }

  /** The times (ms) at which any of some slices changed, oldest first, each once. */
  async times(slices: readonly string[] | null, until: number): Promise<readonly number[]> {
    const rows = await VersionRow.findAll({
      where: {
        at: { [Op.lte]: until },
        ...(slices ? { slice: { [Op.in]: [...slices] } } : {}),
      },
      attributes: ['at'],
      group: ['at'],
      order: [['at', 'ASC']],
    })
    return rows.map((row) => row.at)
  }

  /** The nearest times (ms) before and after one at which anything was seen to change; counts apart, which change all the time. */
  async around(
    at: number,
  ): Promise<{ readonly earlier: number | null; readonly later: number | null }> {
    const [row] = await this.database.sequelize.query<{
      earlier: number | null
      later: number | null
    }>(
      `SELECT (SELECT MAX(at) FROM versions WHERE at < :at AND slice NOT LIKE 'usage/%' AND slice NOT LIKE 'meter/%') AS earlier, (SELECT MIN(at) FROM versions WHERE at > :at AND slice NOT LIKE 'usage/%' AND slice NOT LIKE 'meter/%') AS later`,
      { type: QueryTypes.SELECT, replacements: { at } },
    )
    return row ?? { earlier: null, later: null }
  }

  /** The names of slices that are known. */
  async slices(): Promise<readonly string[]> {
    const rows = await VersionRow.findAll({ attributes: ['slice'], group: ['slice'] })
    return rows.map((row) => row.slice)
  }

  /** The first and last time (ms), and how much is kept. */
  async extent(): Promise<{
    readonly begins: number | null
    readonly versions: number
    readonly bytes: number
  }> {
    const [row] = await this.database.sequelize.query<{
      begins: number | null
      versions: number
      bytes: number | null
    }>(`SELECT MIN(at) AS begins, COUNT(*) AS versions, SUM(bytes) AS bytes FROM versions`, {
      type: QueryTypes.SELECT,
    })
    return { begins: row?.begins ?? null, versions: row?.versions ?? 0, bytes: row?.bytes ?? 0 }
  }

  /** When versions were last thinned (ms), or null. */
  async thinnedAt(): Promise<number | null> {
    const [row] = await this.database.sequelize.query<{ value: number }>(
      `SELECT value FROM marks WHERE name = 'thinned'`,
      { type: QueryTypes.SELECT },
    )
    return row?.value ?? null
  }

  /**
   * Makes room once most of it is taken: thins what is older than a week, then drops the oldest. The last version of
   * each slice stays, and what a later one is a difference against. Tells how many went.
   */
  async prune(now: number, mostBytes: number): Promise<number> {
    const room = mostBytes * roomShare
    if ((await this.extent()).bytes <= room) return 0
    const rows = await VersionRow.findAll({
      order: [['id', 'ASC']],
      attributes: ['id', 'slice', 'at', 'base', 'bytes'],
      raw: true,
    })
    const last = new Set(new Map(rows.map((row) => [row.slice, row.id])).values())
    const kept = keptOf(rows, now)
    const stays = staying(rows, kept, last, room)
    const goes = rows.filter((row) => !stays.has(row.id)).map(({ id }) => id)
    await this.database.sequelize.query(
      `INSERT INTO marks (name, value) VALUES ('thinned', :now) ON CONFLICT (name) DO UPDATE SET value = :now`,
      { replacements: { now } },
    )
    for (let index = 0; index < goes.length; index += mostAtOnce) {
      const ids = goes.slice(index, index + mostAtOnce)
      await this.database.write((transaction) =>
        VersionRow.destroy({ where: { id: ids }, transaction }),
      )
    }
    return goes.length
  }

  close(): Promise<void> {
    return this.database.close()
  }
}
