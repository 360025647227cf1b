/** A data folder that is in use, cut short, overwritten or copied: refused in a sentence, never begun anew. */
import {
  chmodSync,
  copyFileSync,
  existsSync,
  mkdtempSync,
  readFileSync,
  rmSync,
  statSync,
  truncateSync,
  writeFileSync,
} from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { Vault } from '../keys/vault'
import { openForTest } from '../testing/open'
import { openFolder } from './folder'
import { CredentialRow, LoadingRow } from './models'
import { StartRefusal } from './start-refusal'

/** Copies of one folder, as a first start left it. */
let first: string
let dir: string
const files = ['records.sqlite', 'standin.sqlite'] as const

beforeAll(async () => {
  first = mkdtempSync(join(tmpdir(), 'gyrarch-first-'))
  const opened = await openForTest(first)
  await opened.gyrarch.close()
})
afterAll(() => {
  for (const path of [first, `${first}.key`]) rmSync(path, { recursive: true, force: true })
})
beforeEach(() => {
  dir = mkdtempSync(join(tmpdir(), 'gyrarch-folder-'))
  for (const file of files) copyFileSync(join(first, file), join(dir, file))
  copyFileSync(`${first}.key`, `${dir}.key`)
})
afterEach(() => {
  for (const path of [dir, `${dir}.key`]) rmSync(path, { recursive: true, force: true })
})

const refused = async (): Promise<string> => {
  const error: unknown = await openForTest(dir).then(
    async (opened) => {
      await opened.close()
      return 'it opened'
    },
    (refusal: unknown) => refusal,
  )
  expect(error).toBeInstanceOf(StartRefusal)
  return (error as StartRefusal).message
}

describe('a folder', () => {
  it('is opened by one server at a time, and the second is told who has it', async () => {
    const opened = await openForTest(dir)
    const says = await refused()
    expect(says).toContain(`process ${process.pid}`)
    expect(says).toContain('--data')
    await opened.gyrarch.close()
    // Whoever has it lets go of it with its end.
    const again = await openForTest(dir)
    await again.close()
  })

  it('is whole in its files once it is closed: nothing is left in a write-ahead log', () => {
    for (const file of files) {
      expect([file, existsSync(join(first, `${file}-wal`))]).toEqual([file, false])
      expect(statSync(join(first, file)).size).toBeGreaterThan(50_000)
    }
  })

  it.each(files)('without its %s is refused with the way out', async (file) => {
    rmSync(join(dir, file))
    const says = await refused()
    expect(says).toContain(file)
    expect(says).toContain('npm run restore')
    // Nothing was begun in its place.
    const path = join(dir, file)
    expect(existsSync(path) ? statSync(path).size : 0).toBe(0)
  })

  it.each(files)('whose %s was cut to nothing is refused', async (file) => {
    truncateSync(join(dir, file), 0)
    expect(await refused()).toContain(file)
  })

  it.each(files)('whose %s was overwritten is refused in a sentence', async (file) => {
    writeFileSync(join(dir, file), 'x'.repeat(100_000))
    expect(await refused()).toMatch(/is no database: it was overwritten or cut short/)
  })

  it.each(files)('whose %s was cut in the middle is refused in a sentence', async (file) => {
    truncateSync(join(dir, file), 20_480)
    expect(await refused()).toMatch(/damaged|cut short|cannot be read/)
  })

  it('is readable by its owner alone, with everything in it', async () => {
    chmodSync(dir, 0o755)
    chmodSync(join(dir, 'records.sqlite'), 0o644)
    const opened = await openForTest(dir)
    expect(statSync(dir).mode & 0o777).toBe(0o700)
    expect(statSync(join(dir, 'records.sqlite')).mode & 0o777).toBe(0o600)
    expect(statSync(`${dir}.key`).mode & 0o777).toBe(0o600)
    await opened.close()
  })
})

describe('a fresh folder', () => {
  it('is emptied once nobody has it, and not before', async () => {
    const opened = await openForTest(dir)
    await opened.gyrarch.changes.draft('cluster.takedown', { cluster: 'dill' })
    await expect(openFolder(dir, true)).rejects.toThrow(/in use by process/)
    expect(await opened.gyrarch.changes.list()).toHaveLength(1)
    await opened.gyrarch.close()
    writeFileSync(join(dir, 'notes.txt'), 'of somebody')
    const folder = await openFolder(dir, true)
    expect(existsSync(join(dir, 'records.sqlite'))).toBe(false)
    expect(existsSync(join(dir, 'standin.sqlite'))).toBe(false)
    expect(readFileSync(join(dir, 'notes.txt'), 'utf8')).toBe('of somebody')
    await folder.close()
  })
})

describe('a first start that was cut off', () => {
  it('is gone on with: the world and the credentials are made at the next', async () => {
    // As a kill leaves it after the records were filled.
    rmSync(join(dir, 'standin.sqlite'))
    rmSync(join(dir, 'records.sqlite'))
    const opened = await openForTest(dir)
    await opened.gyrarch.database.write(async (transaction) => {
      await LoadingRow.bulkCreate([{ what: 'world' }, { what: 'credentials' }], { transaction })
      await opened.gyrarch.database.sequelize.query('DELETE FROM credentials', { transaction })
    })
    await opened.gyrarch.close()
    rmSync(join(dir, 'standin.sqlite'))
    const again = await openForTest(dir)
    expect(await CredentialRow.count()).toBeGreaterThan(0)
    expect((await again.gyrarch.fleet.view()).clusters.length).toBeGreaterThan(5)
    expect(await LoadingRow.count()).toBe(0)
    await again.close()
  })
})

describe('the key', () => {
  it('lies beside the folder; one inside, as it was before, is moved out', () => {
    const key = readFileSync(`${dir}.key`)
    rmSync(`${dir}.key`)
    writeFileSync(join(dir, 'vault.key'), key)
    const vault = new Vault(dir)
    expect(readFileSync(`${dir}.key`).equals(key)).toBe(true)
    expect(existsSync(join(dir, 'vault.key'))).toBe(false)
    expect(vault.open(vault.seal('a secret', 'here'), 'here')).toBe('a secret')
  })

  it('lies where it is said, and one that is cut short is refused with the way out', () => {
    const file = join(dir, 'elsewhere')
    expect(new Vault(dir, file).fingerprint).toBe(new Vault(dir, file).fingerprint)
    expect(new Vault(dir, file).fingerprint).not.toBe(new Vault(dir).fingerprint)
    truncateSync(file, 5)
    expect(() => new Vault(dir, file)).toThrow(/should hold 32 bytes/)
  })
})
