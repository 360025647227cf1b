/**
 * One SQLite file through Sequelize: write-ahead log, full sync, foreign keys, and two lasting connections,
 * one for reading and one for writing. Writes go through one queue, each in an immediate transaction, so that
 * no writer ever waits for another in the middle.
 */
import { promisify } from 'node:util'
import { type QueryInterface, Sequelize, Transaction } from 'sequelize'
import { SequelizeStorage, Umzug, type UmzugStorage } from 'umzug'
import { startRefusal } from './start-refusal'
import { isRecord } from '~/core/objects'

interface Connection {
  run(sql: string, done: (error: Error | null) => void): void
  close(done: (error: Error | null) => void): void
}

interface ConnectionSource {
  /** What Sequelize would close by itself, all at the same time. */
  readonly connections: Record<string, Connection>
  getConnection(options: { uuid?: string; type?: string }): Promise<Connection>
  releaseConnection(connection: Connection, force?: boolean): void
}

const isConnectionSource = (value: unknown): value is ConnectionSource =>
  isRecord(value) &&
  isRecord(value['connections']) &&
  typeof value['getConnection'] === 'function' &&
  typeof value['releaseConnection'] === 'function'

const pragmas = [
  'PRAGMA journal_mode=WAL',
  'PRAGMA synchronous=FULL',
  'PRAGMA busy_timeout=5000',
  'PRAGMA foreign_keys=ON',
]

/**
 * Gives every transaction the same writing connection instead of a new one each, and sets pragmas on both. What is given
 * back closes them, one after the other: of two closing at the same time each takes the other for open, and neither
 * moves the write-ahead log into the file.
 */
function keepTwoConnections(sequelize: Sequelize): () => Promise<void> {
  const source: unknown = sequelize.connectionManager
  if (!isConnectionSource(source))
    throw new Error('This version of the database library hands out its connections otherwise.')
  const open = source.getConnection.bind(source)
  const ready = new Map<string, Promise<Connection>>()
  source.getConnection = ({ uuid }) => {
    const which = uuid === undefined || uuid === 'default' ? 'default' : 'writer'
    const existing = ready.get(which)
    if (existing) return existing
    const opening = open({ uuid: which }).then(async (connection) => {
      const run = promisify(connection.run.bind(connection))
      for (const pragma of pragmas) await run(pragma)
      return connection
    })
    ready.set(which, opening)
    return opening
  }
  source.releaseConnection = () => undefined
  return async () => {
    for (const [which, opening] of ready) {
      delete source.connections[which]
      const connection = await opening.catch(() => null)
      if (connection) await promisify(connection.close.bind(connection))()
    }
  }
}

/** Each migration and the line that says it is done are one transaction: a kill leaves both or neither. */
function inTransactions(sequelize: Sequelize): UmzugStorage {
  const lines = new SequelizeStorage({ sequelize })
  return {
    executed: () => lines.executed(),
    logMigration: async (migration) => {
      try {
        await lines.logMigration(migration)
        await sequelize.query('COMMIT')
      } catch (error) {
        await sequelize.query('ROLLBACK').catch(() => undefined)
        throw error
      }
    },
    unlogMigration: (migration) => lines.unlogMigration(migration),
  }
}

export interface Migration {
  readonly name: string
  readonly up: (context: QueryInterface) => Promise<void>
}

export interface Database {
  readonly sequelize: Sequelize
  /** Runs `work` in an immediate transaction, after all writes asked for before it. */
  write<T>(work: (transaction: Transaction) => Promise<T>): Promise<T>
  /** Moves what the write-ahead log holds into the file itself. */
  checkpoint(): Promise<void>
  close(): Promise<void>
}

/** Opens a file (made if missing) and brings its schema up to date. */
export async function openDatabase(
  file: string,
  migrations: readonly Migration[],
  define: (sequelize: Sequelize) => void,
): Promise<Database> {
  const sequelize = new Sequelize({ dialect: 'sqlite', storage: file, logging: false })
  const closeConnections = keepTwoConnections(sequelize)
  define(sequelize)
  const umzug = new Umzug({
    migrations: migrations.map(({ name, up }) => ({
      name,
      up: async ({ context }: { context: QueryInterface }) => {
        await sequelize.query('BEGIN IMMEDIATE')
        try {
          await up(context)
        } catch (error) {
          await sequelize.query('ROLLBACK').catch(() => undefined)
          throw error
        }
      },
    })),
    context: sequelize.getQueryInterface(),
    storage: inTransactions(sequelize),
    logger: undefined,
  })
  try {
    await umzug.up()
  } catch (error) {
    await closeConnections()
    throw startRefusal(error, file)
  }
  const checkpoint = async (): Promise<void> => {
    await sequelize.query('PRAGMA wal_checkpoint(TRUNCATE)')
  }
  let tail: Promise<unknown> = Promise.resolve()
  return {
    sequelize,
    write: (work) => {
      const turn = tail.then(() =>
        sequelize.transaction({ type: Transaction.TYPES.IMMEDIATE }, work),
      )
      tail = turn.catch(() => undefined)
      return turn
    },
    checkpoint,
    close: async () => {
      await tail
      await checkpoint().catch(() => undefined)
      await closeConnections()
      await sequelize.close()
    },
  }
}
