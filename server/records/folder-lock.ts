/**
 * One server on a folder at a time. The lock is an open transaction on a file of its own: the system lets go of it with
 * the process, however that ends. Who has it stands in a file beside it.
 */
import { readFileSync, writeFileSync } from 'node:fs'
import { hostname } from 'node:os'
import { join } from 'node:path'
import sqlite3 from 'sqlite3'
import { StartRefusal } from './start-refusal'

export interface FolderLock {
  release(): Promise<void>
}

const ownerFile = (dir: string): string => join(dir, 'lock.txt')

function ownerOf(dir: string): string {
  try {
    return readFileSync(ownerFile(dir), 'utf8').trim()
  } catch {
    return 'a process that did not say who it is'
  }
}

const ask = (database: sqlite3.Database, sql: string): Promise<void> =>
  new Promise((done, failed) => database.exec(sql, (error) => (error ? failed(error) : done())))

const close = (database: sqlite3.Database): Promise<void> =>
  new Promise((done) => database.close(() => done()))

/** Takes the folder for this process; refuses with who has it. */
export async function lockFolder(dir: string): Promise<FolderLock> {
  const database = await new Promise<sqlite3.Database>((done, failed) => {
    const opening: sqlite3.Database = new sqlite3.Database(join(dir, 'lock.sqlite'), (error) =>
      error ? failed(error) : done(opening),
    )
  })
  database.configure('busyTimeout', 500)
  try {
    await ask(database, 'BEGIN EXCLUSIVE')
  } catch (error) {
    await close(database)
    if ((error as NodeJS.ErrnoException).code !== 'SQLITE_BUSY') throw error
    throw new StartRefusal(
      `The data in ${dir} are in use by ${ownerOf(dir)}. Two servers on the same data would lose some of it: end that one first, or give this one another folder with --data.`,
    )
  }
  writeFileSync(
    ownerFile(dir),
    `process ${process.pid} on ${hostname()}, since ${new Date().toISOString()}\n`,
    { mode: 0o600 },
  )
  return { release: () => close(database) }
}
