/** The stand-ins’ own database: the log of commands, chunks of state, and a few marks (clock, speed, seed). */
import type { Evidence } from '~/core/contract'
import {
  type CreationOptional,
  DataTypes,
  type InferAttributes,
  type InferCreationAttributes,
  Model,
  Op,
  type Sequelize,
} from 'sequelize'
import type { Failure } from '~/core/changes'
import { type Database, openDatabase } from '~/server/records/database'
import { standinMigrations } from '~/server/records/migrations'
import type { Chunk, LoggedCommand } from './engine'

class CommandRow extends Model<InferAttributes<CommandRow>, InferCreationAttributes<CommandRow>> {
  declare seq: CreationOptional<number>
  declare key: string
  declare verb: string
  declare args: Record<string, unknown>
  declare clock: number
  declare processed: number
  declare endedAt: number | null
  declare result: Record<string, unknown> | null
  declare failure: Failure | null
  declare evidence: Evidence[] | null
}

class ChunkRow extends Model<InferAttributes<ChunkRow>, InferCreationAttributes<ChunkRow>> {
  declare name: string
  declare body: string
}

class MarkRow extends Model<InferAttributes<MarkRow>, InferCreationAttributes<MarkRow>> {
  declare name: string
  declare value: string
}

function define(sequelize: Sequelize): void {
  const common = { sequelize, timestamps: false } as const
  const { INTEGER, JSON: Json, STRING, TEXT } = DataTypes
  CommandRow.init(
    {
      seq: { type: INTEGER, primaryKey: true, autoIncrement: true },
      key: STRING,
      verb: STRING,
      args: Json,
      clock: DataTypes.BIGINT,
      processed: DataTypes.BIGINT,
      endedAt: DataTypes.BIGINT,
      result: Json,
      failure: Json,
      evidence: Json,
    },
    { ...common, tableName: 'commands' },
  )
  ChunkRow.init(
    { name: { type: STRING, primaryKey: true }, body: TEXT },
    { ...common, tableName: 'chunks' },
  )
  MarkRow.init(
    { name: { type: STRING, primaryKey: true }, value: STRING },
    { ...common, tableName: 'marks' },
  )
}

/** How long a command that has ended can be looked up (ms of the clock). */
const keptMs = 90 * 86_400_000

export interface EndedCommand {
  readonly endedAt: number
  readonly result: Record<string, unknown> | null
  readonly failure: Failure | null
  readonly evidence: Evidence[]
}

export class StandinStore {
  private readonly database: Database

  private constructor(database: Database) {
    this.database = database
  }

  static async open(file: string): Promise<StandinStore> {
    return new StandinStore(await openDatabase(file, standinMigrations, define))
  }

  async mark(name: string): Promise<string | null> {
    return (await MarkRow.findByPk(name))?.value ?? null
  }

  async setMarks(marks: Readonly<Record<string, string>>): Promise<void> {
    await this.database.write(async (transaction) => {
      for (const [name, value] of Object.entries(marks))
        await MarkRow.upsert({ name, value }, { transaction })
    })
  }

  /** Appends a command, stamped; false if its key is in the log already. */
  async append(command: LoggedCommand): Promise<boolean> {
    return this.database.write(async (transaction) => {
      if (
        await CommandRow.findOne({ where: { key: command.key }, attributes: ['seq'], transaction })
      )
        return false
      await CommandRow.create(
        { ...command, endedAt: null, result: null, failure: null, evidence: null },
        { transaction },
      )
      return true
    })
  }

  async ended(key: string, outcome: EndedCommand): Promise<void> {
    await this.database.write((transaction) =>
      CommandRow.update(outcome, { where: { key }, transaction }),
    )
  }

  async find(key: string): Promise<EndedCommand | null> {
    const row = await CommandRow.findOne({ where: { key, endedAt: { [Op.ne]: null } } })
    return row?.endedAt === null || !row
      ? null
      : {
          endedAt: Number(row.endedAt),
          result: row.result,
          failure: row.failure,
          evidence: row.evidence ?? [],
        }
  }

  /** Stores chunks of state together with how far the log is in them; commands that ended long before `now` (ms) go. */
  async snapshot(chunks: readonly Chunk[], now: number): Promise<void> {
    await this.database.write(async (transaction) => {
      for (const chunk of chunks)
        await ChunkRow.upsert({ name: chunk.name, body: chunk.body }, { transaction })
      const last = await CommandRow.max<number, CommandRow>('seq', { transaction })
      await MarkRow.upsert({ name: 'replayAfter', value: String(last ?? 0) }, { transaction })
      await CommandRow.destroy({ where: { endedAt: { [Op.lt]: now - keptMs } }, transaction })
    })
  }

  async chunks(): Promise<readonly Chunk[]> {
    return (await ChunkRow.findAll()).map(({ name, body }) => ({ name, body }))
  }

  /** Commands that the stored chunks do not know yet, in order. */
  async unsnapshot(): Promise<readonly LoggedCommand[]> {
    const after = Number((await this.mark('replayAfter')) ?? 0)
    const rows = await CommandRow.findAll({
      where: { seq: { [Op.gt]: after } },
      order: [['seq', 'ASC']],
    })
    return rows.map((row) => ({
      key: row.key,
      verb: row.verb,
      args: row.args,
      clock: Number(row.clock),
      processed: Number(row.processed),
    }))
  }

  close(): Promise<void> {
    return this.database.close()
  }
}
