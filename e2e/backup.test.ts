/** A backup of a server that runs, put back elsewhere; and backups that are damaged, which are not. */
import { execFileSync, spawnSync } from 'node:child_process'
import {
  copyFileSync,
  existsSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  truncateSync,
  writeFileSync,
} from 'node:fs'
import { tmpdir } from 'node:os'
import { join, resolve } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { api, serve, type Served } from './server'

const root = resolve('.')
let served: Served
let folder: string
let backup: string

const script = (name: string, ...args: readonly string[]) => {
  const { status, stdout, stderr } = spawnSync(
    process.execPath,
    [join(root, 'scripts', `${name}.mjs`), ...args],
    { encoding: 'utf8' },
  )
  return { status, says: stdout + stderr }
}
const restore = (from: string, to: string) => script('restore', '--from', from, '--data', to)

beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'gyrarch-backup-'))
  backup = join(folder, 'kept.tar')
  served = await serve()
  const { ask } = api(served.url)
  await ask('POST', '/clock', { speed: 600 })
  const taken = script('backup', '--to', backup, '--data', served.dir)
  expect(taken.says).toContain(backup)
  expect(taken.status).toBe(0)
})
afterAll(async () => {
  await served.remove()
  rmSync(folder, { recursive: true, force: true })
})

interface Credentials {
  readonly credentials: readonly { readonly checked: { good: boolean; says: string } | null }[]
}

describe('a backup', () => {
  it('is a tar for its owner alone, without the key and with its fingerprint', () => {
    expect(statSync(backup).mode & 0o777).toBe(0o600)
    const names = execFileSync('tar', ['tf', backup], { encoding: 'utf8' }).trim().split('\n')
    expect(names[0]).toBe('backup.json')
    expect(names).toEqual(
      expect.arrayContaining(['records.sqlite', 'standin.sqlite', 'history.sqlite']),
    )
    expect(names.filter((name) => /key|lock|wal/.test(name))).toEqual([])
    const list = JSON.parse(execFileSync('tar', ['xOf', backup, 'backup.json']).toString()) as {
      keyFingerprint: string
    }
    expect(list.keyFingerprint).toMatch(/^[0-9a-f]{16}$/)
    expect(readFileSync(backup).includes(readFileSync(`${served.dir}.key`))).toBe(false)
  })

  it('is put back with its key as it was, while the first goes on', async () => {
    const dir = join(folder, 'again')
    copyFileSync(`${served.dir}.key`, `${dir}.key`)
    const { status, says } = restore(backup, dir)
    expect([status, says]).toEqual([0, expect.stringContaining('is as it was at')])
    expect(says).not.toContain('enter again')
    const again = await serve({ dir })
    const { credentials } = await api(again.url).get<Credentials>('/credentials')
    expect(credentials.map(({ checked }) => checked?.good)).toEqual([true, true])
    expect(JSON.stringify(await api(again.url).get('/fleet'))).toContain('bramble')
    await again.remove()
  })

  it('put back without its key names each secret that has to be entered again', async () => {
    const dir = join(folder, 'keyless')
    const { status, says } = restore(backup, dir)
    expect(status).toBe(0)
    expect(says).toContain('credential fernhollow-operations for palisade-east')
    const again = await serve({ dir })
    const { credentials } = await api(again.url).get<Credentials>('/credentials')
    expect(credentials.map(({ checked }) => checked?.says)).toEqual([
      expect.stringContaining('enter it again'),
      expect.stringContaining('enter it again'),
    ])
    const access = await fetch(`${again.url}/api/v1/clusters/dill/access`)
    expect(access.status).toBe(200)
    await again.remove()
  })

  it('is written over nothing, and put back over nothing', () => {
    expect(script('backup', '--to', backup, '--data', served.dir)).toMatchObject({
      status: 1,
      says: expect.stringContaining('exists already') as string,
    })
    expect(restore(backup, served.dir)).toMatchObject({
      status: 1,
      says: expect.stringContaining('is not empty') as string,
    })
    expect(script('backup', '--to', join(folder, 'x.tar'), '--data', folder)).toMatchObject({
      status: 1,
      says: expect.stringContaining('has no records.sqlite') as string,
    })
  })

  it.each([
    ['cut off', (path: string) => truncateSync(path, Math.floor(statSync(path).size / 2))],
    [
      'changed in a byte',
      (path: string) => {
        const bytes = readFileSync(path)
        const at = Math.floor(bytes.length / 2)
        bytes[at] = (bytes[at] ?? 0) ^ 0xff
        writeFileSync(path, bytes)
      },
    ],
    ['another file', (path: string) => writeFileSync(path, 'hello')],
  ])('that is %s is refused, and leaves nothing', (_what, spoil) => {
    const path = join(folder, 'spoilt.tar')
    copyFileSync(backup, path)
    spoil(path)
    const dir = join(folder, 'spoilt')
    const { status, says } = restore(path, dir)
    expect([status, says]).toEqual([1, expect.stringContaining('Nothing was restored')])
    expect(existsSync(dir)).toBe(false)
    expect(readdirSync(folder).filter((name) => name.startsWith('spoilt.r'))).toEqual([])
    rmSync(path)
  })
})
