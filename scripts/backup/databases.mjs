/** Copies of databases that are in use, all as they are at one moment. */
import { join } from 'node:path'
import sqlite3 from 'sqlite3'

const open = (path, mode) =>
  new Promise((done, failed) => {
    const database = new sqlite3.Database(path, mode, (error) =>
      error ? failed(error) : done(database),
    )
    database.configure('busyTimeout', 20_000)
  })
const close = (database) => new Promise((done) => database.close(() => done()))
const ask = (database, sql) =>
  new Promise((done, failed) => database.exec(sql, (error) => (error ? failed(error) : done())))

export const rowsOf = async (path, sql) => {
  const database = await open(path, sqlite3.OPEN_READONLY)
  try {
    return await new Promise((done, failed) =>
      database.all(sql, (error, rows) => (error ? failed(error) : done(rows))),
    )
  } finally {
    await close(database)
  }
}

/** All pages of a database in one step. */
async function copy(path, target) {
  const database = await open(path, sqlite3.OPEN_READONLY)
  try {
    await new Promise((done, failed) => {
      const backup = database.backup(target, (error) => {
        if (error) failed(error)
      })
      backup.step(-1, (error) => {
        if (error) failed(error)
        else backup.finish((failure) => (failure ? failed(failure) : done()))
      })
    })
  } finally {
    await close(database)
  }
}

/**
 * Copies the databases of a folder. Whoever writes to them waits for as long as the copies take, so that records and
 * world are of one moment.
 */
export async function copyDatabases(dir, names, target) {
  const writers = []
  try {
    for (const name of names) {
      const writer = await open(join(dir, name), sqlite3.OPEN_READWRITE)
      writers.push(writer)
      await ask(writer, 'BEGIN IMMEDIATE')
    }
    for (const name of names) await copy(join(dir, name), join(target, name))
  } finally {
    for (const writer of writers) {
      await ask(writer, 'ROLLBACK').catch(() => undefined)
      await close(writer)
    }
  }
}

/** What stands against a database, or null. */
export async function objectionTo(path) {
  const [row] = await rowsOf(path, 'PRAGMA quick_check(1)').catch((error) => [
    { quick_check: error.message },
  ])
  return row?.quick_check === 'ok' ? null : String(row?.quick_check)
}
