import { createPrivateKey, createPublicKey, sign, verify } from 'node:crypto'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { elm, openForTest, type Opened } from '../testing/open'
import { makeKey, readPublicKey } from './ssh-key'

/** The fields of a private key file, read as its format says. */
function readPrivate(file: string): {
  readonly seed: Buffer
  readonly point: Buffer
  readonly comment: string
  readonly checks: readonly number[]
  readonly padding: readonly number[]
} {
  const bytes = Buffer.from(file.replace(/-----[^-]+-----|\s/g, ''), 'base64')
  let at = 'openssh-key-v1\0'.length
  expect(bytes.subarray(0, at).toString()).toBe('openssh-key-v1\0')
  const take = (): Buffer => {
    const length = bytes.readUInt32BE(at)
    at += 4 + length
    return bytes.subarray(at - length, at)
  }
  expect([take().toString(), take().toString(), take().length]).toEqual(['none', 'none', 0])
  at += 4
  take()
  const innerLength = bytes.readUInt32BE(at)
  at += 4
  const end = at + innerLength
  const checks = [bytes.readUInt32BE(at), bytes.readUInt32BE(at + 4)]
  at += 8
  expect(take().toString()).toBe('ssh-ed25519')
  const point = take()
  const secret = take()
  const comment = take().toString()
  return {
    seed: secret.subarray(0, 32),
    point,
    comment,
    checks,
    padding: [...bytes.subarray(at, end)],
  }
}

describe('a key made here', () => {
  it('has two halves that fit, in the format of OpenSSH', () => {
    const { key, privateKey } = makeKey('duty')
    const { seed, point, comment, checks, padding } = readPrivate(privateKey)
    expect(comment).toBe('duty')
    expect(checks[0]).toBe(checks[1])
    expect(padding).toEqual(padding.map((_, i) => i + 1))
    const secret = createPrivateKey({
      key: {
        kty: 'OKP',
        crv: 'Ed25519',
        d: seed.toString('base64url'),
        x: point.toString('base64url'),
      },
      format: 'jwk',
    })
    const open = createPublicKey({
      key: {
        kty: 'OKP',
        crv: 'Ed25519',
        x: Buffer.from(key.line.split(' ')[1] ?? '', 'base64')
          .subarray(-32)
          .toString('base64url'),
      },
      format: 'jwk',
    })
    expect(verify(null, Buffer.from('said'), open, sign(null, Buffer.from('said'), secret))).toBe(
      true,
    )
    expect(readPublicKey(`${key.line} duty@desk`)).toEqual({ ok: true, key })
  })
})

describe('a pasted key', () => {
  const { key, privateKey } = makeKey('x')
  it.each([
    ['nothing', ''],
    ['a word', 'hello'],
    ['a private key', privateKey],
    ['half a line', key.line.slice(0, 40)],
    ['another kind’s name', key.line.replace('ssh-ed25519', 'ssh-rsa')],
    ['no base64', 'ssh-ed25519 ????'],
  ])('that is %s is refused with the reason', (_what, text) => {
    const read = readPublicKey(text)
    expect(read.ok).toBe(false)
    expect(!read.ok && read.says.length).toBeGreaterThan(20)
  })
  it('that is private is said to be, so that nobody trusts it further', () =>
    expect(readPublicKey(privateKey)).toMatchObject({
      says: expect.stringContaining('private key'),
    }))
})

describe('the register of keys', () => {
  let opened: Opened
  beforeAll(async () => {
    opened = await openForTest()
  })
  afterAll(() => opened.close())

  it('takes a name once and a key once, and offers it to drafts', async () => {
    const { keys, changes } = opened.gyrarch
    const { key } = makeKey('y')
    await keys.paste('desk', key.line)
    await expect(keys.make('desk')).rejects.toMatchObject({
      code: 'conflict',
      fields: [{ path: 'name' }],
    })
    await expect(keys.paste('desk-2', key.line)).rejects.toMatchObject({
      code: 'conflict',
      message: expect.stringContaining('as desk'),
    })
    await expect(keys.make('Not A Name')).rejects.toMatchObject({ code: 'invalid' })
    const record = await changes.draft('cluster.raise', { ...elm, sshKey: 'desk' })
    expect(record.plan).not.toBeNull()
    await keys.strike('desk')
    expect((await changes.get(record.id)).findings.map((finding) => finding.rule)).toContain(
      'ssh-key.known',
    )
  })

  it('keeps no private half, and no journal line tells one', async () => {
    const { keys } = opened.gyrarch
    const secret = await keys.make('night')
    const body = secret.split('\n')[2] ?? ''
    expect(JSON.stringify(await keys.list())).not.toContain(body)
    expect(JSON.stringify(await opened.gyrarch.journal({ limit: 50 }))).not.toContain(body)
  })
})
