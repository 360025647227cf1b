/** Access files as they are found, and what is kept of them. */
import { describe, expect, it } from 'vitest'
import { parse, stringify } from 'yaml'
import { contextsOf, openedWay, readAccessFile, sealedAccessFile, withContext } from './access-file'
import { isCertificate, pemBody } from './certificate'

/** A certificate of an authority, P-256. */
const authority = `-----BEGIN CERTIFICATE-----
MIIBdTCCARugAwIBAgIUQ2K0x2mYw3nTn0v5h0m0m1c8yXwwCgYIKoZIzj0EAwIw
-----END CERTIFICATE-----`

const der = (...parts: readonly (readonly number[])[]): Uint8Array => {
  const body = parts.flat()
  return Uint8Array.from([0x30, body.length, ...body])
}
const small = der([0x30, 1, 0], [0x30, 0], [0x03, 2, 0, 1])
const pem = (bytes: Uint8Array): string =>
  `-----BEGIN CERTIFICATE-----\n${btoa(String.fromCharCode(...bytes))}\n-----END CERTIFICATE-----\n`
const data = btoa(pem(small))

const base = {
  apiVersion: 'v1',
  kind: 'Config',
  'current-context': 'orchids',
  contexts: [
    { name: 'orchids', context: { cluster: 'thistle', user: 'duty' } },
    { name: 'ferns', context: { cluster: 'bracken', user: 'duty' } },
  ],
  clusters: [
    {
      name: 'thistle',
      cluster: { server: 'https://10.1.2.3:6443/', 'certificate-authority-data': data },
    },
    { name: 'bracken', cluster: { server: 'https://10.1.2.4:6443' } },
  ],
  users: [{ name: 'duty', user: { token: 'very-secret-token' } }],
}
type Config = typeof base
const file = (change: (config: Config) => unknown = (config) => config): string =>
  stringify(change(structuredClone(base)))
const user = (parts: object) =>
  file((config) => ({ ...config, users: [{ name: 'duty', user: parts }] }))
const cluster = (parts: object) =>
  file((config) => ({ ...config, clusters: [{ name: 'thistle', cluster: parts }] }))

const objectionTo = (source: string) => {
  const read = readAccessFile(source)
  return read.ok ? null : [read.objection.code, read.objection.part]
}

describe('an access file', () => {
  it('leads where its current context says', () => {
    const read = readAccessFile(file())
    expect(read).toMatchObject({
      ok: true,
      way: {
        context: 'orchids',
        others: ['ferns'],
        server: 'https://10.1.2.3:6443',
        isUnverified: false,
        signIn: { kind: 'token', token: 'very-secret-token' },
      },
    })
  })

  it('may be JSON, and have another context chosen', () => {
    const json = JSON.stringify(base)
    expect(contextsOf(json)).toEqual({ names: ['orchids', 'ferns'], current: 'orchids' })
    expect(readAccessFile(withContext(json, 'ferns'))).toMatchObject({
      ok: true,
      way: { server: 'https://10.1.2.4:6443', authority: null },
    })
  })

  it.each([
    ['nothing', '  ', ['missing', '']],
    ['a word', 'hello', ['unreadable', '']],
    ['a broken document', '{{{', ['unreadable', '']],
    ['a list', '- a', ['unreadable', '']],
    ['another kind', 'kind: Pod', ['other-kind', '']],
    ['parts of the wrong shape', 'kind: Config\nclusters: 5', ['unreadable', '']],
    ['too much', `kind: Config # ${'x'.repeat(1024 * 1024)}`, ['too-long', '']],
    ['no context', file(({ 'current-context': _, ...rest }) => rest), ['no-context', '']],
    [
      'a context that is not there',
      file((c) => ({ ...c, 'current-context': 'x' })),
      ['no-context', 'x'],
    ],
    ['a missing cluster', file((c) => ({ ...c, clusters: [] })), ['no-cluster', 'thistle']],
    ['a missing user', file((c) => ({ ...c, users: [] })), ['no-user', 'duty']],
    ['a program to sign in', user({ exec: { command: 'x' } }), ['program', 'exec']],
    [
      'a provider to sign in',
      user({ 'auth-provider': { name: 'x' } }),
      ['program', 'auth-provider'],
    ],
    ['a file with a token', user({ tokenFile: '/x' }), ['path', 'tokenFile']],
    ['a file with a key', user({ 'client-key': '/x' }), ['path', 'client-key']],
    [
      'a file with an authority',
      cluster({ server: 'https://a:1', 'certificate-authority': '/x' }),
      ['path', 'certificate-authority'],
    ],
    ['nobody to sign in as', user({}), ['no-sign-in', 'duty']],
    [
      'half a certificate to sign in',
      user({ 'client-certificate-data': data }),
      ['no-sign-in', 'duty'],
    ],
    ['no address', cluster({}), ['no-address', '']],
    ['an address with a password', cluster({ server: 'https://a:b@c' }), ['no-address', '']],
    ['an address without TLS', cluster({ server: 'http://a:1' }), ['no-tls', '']],
    [
      'an authority that is no certificate',
      cluster({ server: 'https://a:1', 'certificate-authority-data': btoa('x') }),
      ['no-certificate', ''],
    ],
    [
      'an authority that is cut off',
      cluster({ server: 'https://a:1', 'certificate-authority-data': btoa(authority) }),
      ['no-certificate', ''],
    ],
  ])('that has %s is refused for that', (_name, source, objection) => {
    expect(objectionTo(source)).toEqual(objection)
  })

  it('with aliases of aliases is no more than unreadable', () => {
    const levels = Array.from({ length: 30 }, (_, i) => `a${i + 1}: &a${i + 1} [*a${i}, *a${i}]`)
    expect(objectionTo(`kind: Config\na0: &a0 x\n${levels.join('\n')}`)).toEqual(['unreadable', ''])
  })
})

describe('what is kept of it', () => {
  const seal = (secret: string, address: string) => btoa(`${address} ${secret}`)
  const open = (sealed: string, address: string): string => {
    const [at = '', secret = ''] = atob(sealed).split(' ')
    if (at !== address) throw new Error('sealed for another address')
    return secret
  }

  it('shows its address and no secret, and reads as the same way', () => {
    const kept = sealedAccessFile(file(), seal)
    expect(kept).toContain('https://10.1.2.3:6443')
    expect(kept).not.toContain('very-secret-token')
    const read = readAccessFile(kept)
    if (!read.ok) throw new Error('it reads')
    expect(openedWay(read.way, open).signIn).toEqual({ kind: 'token', token: 'very-secret-token' })
  })

  it('stays as it is when it is kept again', () => {
    const kept = sealedAccessFile(file(), seal)
    expect(sealedAccessFile(kept, () => 'sealed twice')).toBe(kept)
  })

  it('opens for the address that it was sealed for alone', () => {
    const kept = sealedAccessFile(file(), seal).replace('10.1.2.3', '10.6.6.6')
    const read = readAccessFile(kept)
    if (!read.ok) throw new Error('it reads')
    expect(() => openedWay(read.way, open)).toThrow('another address')
  })

  it('is nothing of what could not be read, nor of other contexts', () => {
    expect(sealedAccessFile('token: very-secret-token {{{', seal)).not.toContain('very-secret')
    const others = file((config) => ({
      ...config,
      users: [...config.users, { name: 'root', user: { password: 'hush-hush' } }],
    }))
    expect(sealedAccessFile(others, seal)).not.toContain('hush-hush')
    const program = user({ exec: { command: 'x', env: [{ name: 'A', value: 'hush-hush' }] } })
    const kept = sealedAccessFile(program, seal)
    expect(kept).not.toContain('hush-hush')
    expect(objectionTo(kept)).toEqual(['program', 'exec'])
  })

  it('keeps keys sealed too, and never a password of the address', () => {
    const kept = sealedAccessFile(
      user({ 'client-certificate-data': data, 'client-key-data': btoa('a private key') }),
      seal,
    )
    expect(kept).not.toContain(btoa('a private key'))
    const shown = parse(kept) as Config
    expect(shown.users).toHaveLength(1)
    expect(sealedAccessFile(cluster({ server: 'https://a:hush@c' }), seal)).not.toContain('hush')
  })
})

describe('a certificate', () => {
  it('is told from other bytes by its shape', () => {
    expect(isCertificate(small)).toBe(true)
    expect(isCertificate(small.subarray(0, small.length - 1))).toBe(false)
    expect(isCertificate(der([0x30, 0], [0x30, 0]))).toBe(false)
    expect(isCertificate(Uint8Array.from([0x30, 0x84, 255, 255, 255, 255]))).toBe(false)
    expect(pemBody(`${pem(small)}between\n${pem(small)}`)).toHaveLength(2)
    expect(pemBody('-----BEGIN CERTIFICATE-----\n!!\n-----END CERTIFICATE-----')).toEqual([])
  })
})
