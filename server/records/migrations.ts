/** The schema of Gyrarch’s records, one migration a change. Applied ones are never edited. */
import { type QueryInterface, QueryTypes } from 'sequelize'
import { z } from 'zod'
import { effectOf } from '~/core/contract'
import { resolvedArgs } from '../runner/graph-state'
import type { Migration } from './database'
import { withRenamedOwners } from './renamed-paths'
import { withCodes } from './with-codes'

/** A JSON column as raw queries give it: text, or null. */
const readJson = (text: string | null): Record<string, unknown> =>
  text === null ? {} : z.record(z.string(), z.unknown()).parse(JSON.parse(text))

const sql =
  (...statements: readonly string[]): Migration['up'] =>
  async (context) => {
    for (const statement of statements) await context.sequelize.query(statement)
  }

/** Gives codes to the facts that JSON columns hold. */
async function codeFacts(
  { sequelize }: QueryInterface,
  table: string,
  key: string,
  columns: readonly string[],
): Promise<void> {
  for (const column of columns) {
    const rows = await sequelize.query<{ key: number; body: string }>(
      `SELECT ${key} AS key, ${column} AS body FROM ${table} WHERE ${column} LIKE '%"says"%'`,
      { type: QueryTypes.SELECT },
    )
    for (const row of rows)
      await sequelize.query(`UPDATE ${table} SET ${column} = ? WHERE ${key} = ?`, {
        replacements: [JSON.stringify(withCodes(JSON.parse(row.body))), row.key],
      })
  }
}

export const recordMigrations: readonly Migration[] = [
  {
    name: '0001-register-and-changes',
    up: sql(
      `CREATE TABLE clusters (name TEXT PRIMARY KEY, site TEXT NOT NULL, guarded TINYINT(1) NOT NULL, release TEXT NOT NULL, controlPlane JSON NOT NULL, pools JSON NOT NULL, labels JSON NOT NULL, drives JSON NOT NULL, pods TEXT NOT NULL, services TEXT NOT NULL, maxPodsPerNode INTEGER NOT NULL, endpoint TEXT)`,
      `CREATE INDEX clusters_site ON clusters (site)`,
      `CREATE TABLE changes (number INTEGER PRIMARY KEY AUTOINCREMENT, kind TEXT NOT NULL, label TEXT NOT NULL, title TEXT, intent JSON NOT NULL, version INTEGER NOT NULL, state TEXT NOT NULL, direction TEXT NOT NULL, site TEXT, createdAt DATETIME NOT NULL, amendedAt DATETIME NOT NULL, startedAt TEXT, endedAt TEXT, accepted JSON NOT NULL, findings JSON, plan JSON, planDigest TEXT, proof JSON, subjects JSON, waitsFor TEXT, cause JSON)`,
      `CREATE INDEX changes_state ON changes (state)`,
      `CREATE TABLE steps (change INTEGER NOT NULL REFERENCES changes(number) ON DELETE CASCADE, id TEXT NOT NULL, position INTEGER NOT NULL, "group" TEXT NOT NULL, says TEXT NOT NULL, after JSON NOT NULL, command JSON NOT NULL, undo JSON, final TINYINT(1) NOT NULL, likely REAL NOT NULL, worst REAL NOT NULL, retry JSON NOT NULL, state TEXT NOT NULL, attempts INTEGER NOT NULL, attemptsBefore INTEGER NOT NULL, undoAttempts INTEGER NOT NULL, key TEXT, undoing TINYINT(1) NOT NULL, startedAt TEXT, endedAt TEXT, dueAt TEXT, result JSON, cause JSON, PRIMARY KEY (change, id))`,
      `CREATE INDEX steps_key ON steps (key)`,
      `CREATE TABLE evidence (change INTEGER NOT NULL REFERENCES changes(number) ON DELETE CASCADE, key TEXT NOT NULL, "index" INTEGER NOT NULL, step TEXT NOT NULL, at TEXT NOT NULL, says TEXT NOT NULL, PRIMARY KEY (change, key, "index"))`,
      `CREATE TABLE locks (ref TEXT PRIMARY KEY, change INTEGER NOT NULL REFERENCES changes(number) ON DELETE CASCADE)`,
      `CREATE TABLE reservations (id INTEGER PRIMARY KEY AUTOINCREMENT, change INTEGER NOT NULL REFERENCES changes(number) ON DELETE CASCADE, kind TEXT NOT NULL, site TEXT NOT NULL, domain TEXT, zone TEXT, what TEXT NOT NULL, cores INTEGER, memoryBytes INTEGER)`,
      `CREATE TABLE journal (seq INTEGER PRIMARY KEY AUTOINCREMENT, at TEXT NOT NULL, wall DATETIME NOT NULL, kind TEXT NOT NULL, change INTEGER, about TEXT, says TEXT NOT NULL)`,
      `CREATE INDEX journal_change ON journal (change)`,
      `CREATE TABLE releases (version TEXT PRIMARY KEY, released TEXT NOT NULL, endOfSupport TEXT NOT NULL, architectures JSON NOT NULL, baseImage TEXT NOT NULL, minimumRootDiskGb INTEGER NOT NULL, withdrawn TEXT)`,
      `CREATE TABLE ledger (id INTEGER PRIMARY KEY AUTOINCREMENT, domain TEXT NOT NULL, range TEXT NOT NULL, name TEXT NOT NULL)`,
      `CREATE TABLE ssh_keys (name TEXT PRIMARY KEY)`,
      `CREATE TABLE authorities (cluster TEXT PRIMARY KEY, covers TEXT NOT NULL, certificate TEXT NOT NULL, fingerprint TEXT NOT NULL, expires TEXT NOT NULL)`,
    ),
  },
  {
    name: '0002-public-keys',
    up: sql(
      `ALTER TABLE ssh_keys ADD COLUMN line TEXT`,
      `ALTER TABLE ssh_keys ADD COLUMN fingerprint TEXT`,
      `CREATE UNIQUE INDEX ssh_keys_fingerprint ON ssh_keys (fingerprint)`,
    ),
  },
  {
    name: '0003-ground',
    up: sql(
      `ALTER TABLE clusters ADD COLUMN health JSON`,
      `CREATE TABLE credentials (site TEXT NOT NULL, name TEXT NOT NULL, sealed TEXT NOT NULL, fingerprint TEXT NOT NULL, until TEXT NOT NULL, checkedAt TEXT, checkedSays TEXT, checkedGood TINYINT(1), PRIMARY KEY (site, name))`,
      `CREATE TABLE joins (change INTEGER NOT NULL REFERENCES changes(number) ON DELETE CASCADE, machine TEXT NOT NULL, cluster TEXT NOT NULL, site TEXT NOT NULL, node TEXT NOT NULL, card TEXT NOT NULL, address TEXT NOT NULL, round INTEGER NOT NULL, until TEXT NOT NULL, usedAt TEXT, facts JSON, refused TEXT, PRIMARY KEY (change, machine))`,
      `CREATE TABLE templates (name TEXT PRIMARY KEY, says TEXT NOT NULL, kind TEXT NOT NULL, intent JSON NOT NULL, open JSON NOT NULL, shipped TINYINT(1) NOT NULL)`,
    ),
  },
  {
    name: '0004-rest',
    up: sql(
      `ALTER TABLE clusters ADD COLUMN rest JSON`,
      `ALTER TABLE clusters ADD COLUMN restDoneAt TEXT`,
    ),
  },
  {
    name: '0005-layers',
    up: sql(`CREATE TABLE layer_files (name TEXT PRIMARY KEY, text TEXT NOT NULL)`),
  },
  { name: '0006-autoscale', up: sql(`ALTER TABLE clusters ADD COLUMN autoscale JSON`) },
  {
    name: '0007-prices',
    up: sql(
      `CREATE TABLE prices (site TEXT NOT NULL, item TEXT NOT NULL, units REAL NOT NULL, PRIMARY KEY (site, item))`,
    ),
  },
  {
    name: '0008-expectations',
    up: sql(
      `CREATE TABLE expectations (name TEXT PRIMARY KEY, "from" JSON NOT NULL, "to" JSON NOT NULL, port INTEGER NOT NULL, protocol TEXT NOT NULL, delivered TINYINT(1) NOT NULL)`,
    ),
  },
  {
    name: '0009-made',
    up: async (context) => {
      await sql(
        `CREATE TABLE made (id INTEGER PRIMARY KEY AUTOINCREMENT, ref TEXT NOT NULL, change INTEGER NOT NULL REFERENCES changes(number) ON DELETE CASCADE, step TEXT NOT NULL, at TEXT NOT NULL, goneAt TEXT, goneBy INTEGER)`,
        `CREATE INDEX made_ref ON made (ref)`,
        `CREATE INDEX made_change ON made (change)`,
      )(context)
      await recordOldEffects(context)
    },
  },
  {
    name: '0010-codes',
    up: async (context) => {
      await sql(
        `ALTER TABLE evidence ADD COLUMN code TEXT NOT NULL DEFAULT 'told'`,
        `ALTER TABLE evidence ADD COLUMN params JSON NOT NULL DEFAULT '{}'`,
        `UPDATE evidence SET params = json_object('text', says)`,
      )(context)
      await codeFacts(context, 'changes', 'number', ['findings', 'cause'])
      await codeFacts(context, 'steps', 'rowid', ['cause'])
    },
  },
  {
    // Authorities made before had their private half thrown away.
    name: '0011-authority-keys',
    up: sql(`ALTER TABLE authorities ADD COLUMN sealed TEXT`),
  },
  {
    name: '0012-failures',
    up: sql(
      `CREATE TABLE failures (id INTEGER PRIMARY KEY AUTOINCREMENT, change INTEGER NOT NULL REFERENCES changes(number) ON DELETE CASCADE, step TEXT NOT NULL, attempt INTEGER NOT NULL, undoing TINYINT(1) NOT NULL, at TEXT NOT NULL, "group" TEXT NOT NULL, says TEXT NOT NULL, command JSON NOT NULL, cause JSON NOT NULL)`,
      `CREATE INDEX failures_change ON failures (change)`,
    ),
  },
  {
    name: '0013-contacts',
    up: sql(`CREATE TABLE contacts (site TEXT PRIMARY KEY, address TEXT NOT NULL)`),
  },
  {
    name: '0014-windows',
    up: sql(
      `CREATE TABLE windows (name TEXT PRIMARY KEY, start TEXT NOT NULL, zone TEXT NOT NULL, minutes INTEGER NOT NULL, rule TEXT, "except" JSON NOT NULL, clusters JSON NOT NULL, labels JSON NOT NULL)`,
      `ALTER TABLE changes ADD COLUMN dueAt TEXT`,
      `ALTER TABLE changes ADD COLUMN "window" TEXT`,
      `ALTER TABLE changes ADD COLUMN confirmed JSON`,
      `ALTER TABLE changes ADD COLUMN returned JSON`,
    ),
  },
  {
    name: '0015-sets',
    up: sql(
      `ALTER TABLE changes ADD COLUMN parent INTEGER`,
      `ALTER TABLE changes ADD COLUMN position INTEGER`,
      `ALTER TABLE changes ADD COLUMN members INTEGER`,
      `ALTER TABLE changes ADD COLUMN under INTEGER`,
      `CREATE INDEX changes_parent ON changes (parent, position)`,
    ),
  },
  {
    name: '0016-durations',
    up: sql(
      `CREATE TABLE durations (id INTEGER PRIMARY KEY AUTOINCREMENT, change INTEGER NOT NULL, step TEXT NOT NULL, verb TEXT NOT NULL, site TEXT NOT NULL, size TEXT NOT NULL, predicted REAL NOT NULL, worst REAL NOT NULL, seconds REAL NOT NULL, at TEXT NOT NULL)`,
      `CREATE INDEX durations_work ON durations (verb, site, size)`,
    ),
  },
  {
    // Of older lines nobody knows by whom they were.
    name: '0017-journal',
    up: sql(
      `ALTER TABLE journal ADD COLUMN params JSON NOT NULL DEFAULT '{}'`,
      `ALTER TABLE journal ADD COLUMN "by" TEXT NOT NULL DEFAULT 'unknown'`,
    ),
  },
  {
    name: '0018-catalogue',
    up: sql(
      `ALTER TABLE releases ADD COLUMN images JSON NOT NULL DEFAULT '[]'`,
      `CREATE TABLE releaseEdges ("from" TEXT NOT NULL, "to" TEXT NOT NULL, withdrawn TEXT, PRIMARY KEY ("from", "to"))`,
      `CREATE TABLE images (digest TEXT PRIMARY KEY, name TEXT NOT NULL, bytes INTEGER NOT NULL, layers JSON NOT NULL, signedBy TEXT)`,
      `CREATE TABLE addOnVersions (addOn TEXT NOT NULL, channel TEXT NOT NULL, version TEXT NOT NULL, "min" TEXT, "max" TEXT, replaces JSON NOT NULL, images JSON NOT NULL, PRIMARY KEY (addOn, channel, version))`,
    ),
  },
  {
    name: '0019-class-default',
    up: sql(
      ...['command', 'undo'].map(
        (column) =>
          `UPDATE steps SET ${column} = REPLACE(${column}, '"verb":"storage.class"', '"verb":"class.default"') WHERE ${column} LIKE '%"storage.class"%'`,
      ),
      `UPDATE durations SET verb = 'class.default' WHERE verb = 'storage.class'`,
      `UPDATE changes SET plan = REPLACE(plan, '"verb":"storage.class"', '"verb":"class.default"') WHERE plan LIKE '%"storage.class"%'`,
    ),
  },
  {
    name: '0020-shipments',
    up: sql(
      `CREATE TABLE shipments (name TEXT PRIMARY KEY, site TEXT NOT NULL, release TEXT, packedAt TEXT NOT NULL, images JSON NOT NULL, drives JSON NOT NULL)`,
    ),
  },
  {
    name: '0021-snapshot-schedules',
    up: sql(
      `CREATE TABLE snapshotSchedules (cluster TEXT NOT NULL, volume TEXT NOT NULL, start TEXT NOT NULL, zone TEXT NOT NULL, rule TEXT NOT NULL, keep INTEGER NOT NULL, doneAt TEXT NOT NULL, PRIMARY KEY (cluster, volume))`,
    ),
  },
  {
    name: '0022-rehearsals',
    up: sql(
      `CREATE TABLE rehearsals (change INTEGER PRIMARY KEY REFERENCES changes(number) ON DELETE CASCADE, body JSON NOT NULL)`,
    ),
  },
  {
    name: '0023-cases',
    up: sql(
      `CREATE TABLE cases (number INTEGER PRIMARY KEY AUTOINCREMENT, state TEXT NOT NULL, key TEXT NOT NULL, cluster TEXT NOT NULL, cause TEXT, about TEXT NOT NULL, openedAt TEXT NOT NULL, since TEXT NOT NULL, closedAt TEXT, closedBy TEXT, openedBy TEXT NOT NULL, who TEXT NOT NULL, troubles JSON NOT NULL, notes JSON NOT NULL)`,
      `CREATE INDEX casesByState ON cases (state, number)`,
      `CREATE TABLE drills (number INTEGER PRIMARY KEY AUTOINCREMENT, name TEXT NOT NULL, state TEXT NOT NULL, startedAt TEXT NOT NULL, endedAt TEXT, faults JSON NOT NULL, hints INTEGER NOT NULL, named JSON NOT NULL, score INTEGER)`,
    ),
  },
  { name: '0024-drill-runs', up: sql(`ALTER TABLE drills ADD COLUMN run TEXT`) },
  {
    name: '0025-outgoing',
    up: sql(
      `CREATE TABLE receivers (name TEXT PRIMARY KEY, url TEXT NOT NULL, kinds JSON NOT NULL, sealed TEXT NOT NULL)`,
      `CREATE TABLE deliveries (id INTEGER PRIMARY KEY AUTOINCREMENT, receiver TEXT NOT NULL, kind TEXT NOT NULL, body TEXT NOT NULL, state TEXT NOT NULL, attempts INTEGER NOT NULL, madeAt TEXT NOT NULL, dueAt TEXT, endedAt TEXT, status INTEGER, says TEXT)`,
      `CREATE INDEX deliveriesByState ON deliveries (state, dueAt)`,
    ),
  },
  { name: '0026-loading', up: sql(`CREATE TABLE loading (what TEXT PRIMARY KEY)`) },
  { name: '0027-api-ports', up: sql(`ALTER TABLE authorities ADD COLUMN port INTEGER`) },
  {
    name: '0028-reaches',
    up: sql(
      `CREATE TABLE reaches (cluster TEXT PRIMARY KEY, kind TEXT NOT NULL, state TEXT NOT NULL, accessFile TEXT, token TEXT, tokenHash TEXT, credentialHash TEXT, dialledAt TEXT, heardAt TEXT, report JSON)`,
      `CREATE TABLE reach_commands (key TEXT PRIMARY KEY, at TEXT NOT NULL, kept JSON, outcome JSON)`,
      `CREATE TABLE relay (id INTEGER PRIMARY KEY, port INTEGER NOT NULL)`,
    ),
  },
  {
    name: '0029-steps-on-the-wall',
    up: sql(`ALTER TABLE steps ADD COLUMN onTheWall TINYINT(1) NOT NULL DEFAULT 0`),
  },
  { name: '0030-access-epochs', up: sql(`ALTER TABLE authorities ADD COLUMN epochs JSON`) },
]

/** Commands that were done before their effects were recorded, in the order in which they ended. */
const recordOldEffects: Migration['up'] = async ({ sequelize }) => {
  const rows = await sequelize.query<{
    change: number
    id: string
    command: string
    result: string | null
    endedAt: string | null
  }>(
    `SELECT change, id, command, result, endedAt FROM steps WHERE state = 'done' ORDER BY endedAt, change, position`,
    { type: QueryTypes.SELECT },
  )
  const results = new Map<number, Record<string, Record<string, unknown>>>()
  for (const { change, id, result } of rows)
    results.set(change, { ...results.get(change), [id]: readJson(result) })
  for (const row of rows) {
    const { verb: written, args } = z
      .object({ verb: z.string(), args: z.record(z.string(), z.unknown()) })
      .parse(readJson(row.command))
    const verb = written === 'storage.class' ? 'class.default' : written
    const { makes, removes } = effectOf({
      verb,
      args: resolvedArgs(args, results.get(row.change) ?? {}),
    })
    const at = row.endedAt ?? ''
    for (const ref of removes)
      await sequelize.query(
        `UPDATE made SET goneAt = ?, goneBy = ? WHERE ref = ? AND goneAt IS NULL`,
        {
          replacements: [at, row.change, ref],
        },
      )
    for (const ref of makes)
      await sequelize.query(`INSERT INTO made (ref, change, step, at) VALUES (?, ?, ?, ?)`, {
        replacements: [ref, row.change, row.id, at],
      })
  }
}

export const standinMigrations: readonly Migration[] = [
  {
    name: '0001-log-and-chunks',
    up: sql(
      `CREATE TABLE commands (seq INTEGER PRIMARY KEY AUTOINCREMENT, key TEXT NOT NULL UNIQUE, verb TEXT NOT NULL, args JSON NOT NULL, clock INTEGER NOT NULL, processed INTEGER NOT NULL, endedAt INTEGER, result JSON, failure JSON, evidence JSON)`,
      `CREATE TABLE chunks (name TEXT PRIMARY KEY, body TEXT NOT NULL)`,
      `CREATE TABLE marks (name TEXT PRIMARY KEY, value TEXT NOT NULL)`,
    ),
  },
  {
    name: '0002-codes',
    up: async (context) => {
      await codeFacts(context, 'commands', 'seq', ['failure', 'evidence'])
      await codeFacts(context, 'chunks', 'rowid', ['body'])
    },
  },
  {
    name: '0003-class-default',
    up: sql(
      `UPDATE commands SET verb = 'class.default' WHERE verb = 'storage.class'`,
      `UPDATE chunks SET body = REPLACE(body, '"verb":"storage.class"', '"verb":"class.default"') WHERE body LIKE '%"storage.class"%'`,
    ),
  },
  {
    // The registry inside the demo’s closed site has had a name of its own only since images are carried there.
    name: '0004-registry-host',
    up: sql(
      `UPDATE chunks SET body = json_set(body, '$.registryHost', 'registry.kilnlane.example') WHERE name = 'site:kilnlane'`,
    ),
  },
  {
    name: '0005-list-keys',
    up: async ({ sequelize }) => {
      const rows = await sequelize.query<{ name: string; body: string }>(
        `SELECT name, body FROM chunks WHERE name LIKE 'cluster:%' AND body LIKE '%"owners"%'`,
        { type: QueryTypes.SELECT },
      )
      for (const { name, body } of rows)
        await sequelize.query(`UPDATE chunks SET body = ? WHERE name = ?`, {
          replacements: [JSON.stringify(withRenamedOwners(JSON.parse(body))), name],
        })
    },
  },
]
