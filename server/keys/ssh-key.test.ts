import { execFileSync } from 'node:child_process'
import { generateKeyPairSync } from 'node:crypto'
import { describe, expect, it } from 'vitest'
import { makeKey, readPublicKey } from './ssh-key'

const pems = {
  rsa: generateKeyPairSync('rsa', { modulusLength: 2048 }).publicKey,
  ed25519: generateKeyPairSync('ed25519').publicKey,
  p256: generateKeyPairSync('ec', { namedCurve: 'P-256' }).publicKey,
  p521: generateKeyPairSync('ec', { namedCurve: 'P-521' }).publicKey,
}
const line = (text: string): string => {
  const read = readPublicKey(text)
  if (!read.ok) throw new Error(read.says)
  return read.key.line
}
const says = (text: string): string => {
  const read = readPublicKey(text)
  return read.ok ? 'taken' : read.says
}
/** The same key as RFC 4716 has it. */
const exported = (of: string): string => {
  const [, blob = ''] = of.split(' ')
  return [
    '---- BEGIN SSH2 PUBLIC KEY ----',
    'Subject: duty',
    'Comment: "a comment that goes on \\',
    'on the next line"',
    ...(blob.match(/.{1,70}/g) ?? []),
    '---- END SSH2 PUBLIC KEY ----',
    '',
  ].join('\n')
}

describe('a public key', () => {
  it.each(Object.entries(pems))(
    'is read from PEM, and from RFC 4716 as the same: %s',
    (_n, key) => {
      const read = line(String(key.export({ type: 'spki', format: 'pem' })))
      expect(line(read)).toBe(read)
      expect(line(exported(read))).toBe(read)
      expect(line(`${read} somebody@somewhere`)).toBe(read)
    },
  )

  it('of RSA is read from its older PEM too', () => {
    const older = String(pems.rsa.export({ type: 'pkcs1', format: 'pem' }))
    expect(line(older)).toBe(line(String(pems.rsa.export({ type: 'spki', format: 'pem' }))))
  })

  it.each(Object.entries(pems))('is read to its last byte: %s', (_n, key) => {
    const [name = '', blob = ''] = line(String(key.export({ type: 'spki', format: 'pem' }))).split(
      ' ',
    )
    const bytes = Buffer.from(blob, 'base64')
    const as = (changed: Buffer): string => says(`${name} ${changed.toString('base64')}`)
    for (let cut = 1; cut < bytes.length; cut += 7)
      expect(as(bytes.subarray(0, bytes.length - cut))).toMatch(/damaged/)
    expect(as(Buffer.concat([bytes, Buffer.from([0])]))).toMatch(/damaged/)
    expect(as(Buffer.concat([bytes, Buffer.from([0, 0, 0, 1, 7])]))).toMatch(/damaged/)
  })

  it('of RSA is not too short', () => {
    const { publicKey } = generateKeyPairSync('rsa', { modulusLength: 1024 })
    expect(says(String(publicKey.export({ type: 'spki', format: 'pem' })))).toBe(
      'An RSA key of 1024 bits is too short: 2048 is the least.',
    )
  })

  it('is told from a private one, from other kinds and from what is no key', () => {
    expect(says(makeKey('duty').privateKey)).toMatch(/private key/)
    expect(says('ssh-dss AAAA')).toMatch(/begins with its kind/)
    const { publicKey } = generateKeyPairSync('x25519')
    expect(says(String(publicKey.export({ type: 'spki', format: 'pem' })))).toMatch(/SSH takes/)
    expect(says('-----BEGIN PUBLIC KEY-----\nAAAA\n-----END PUBLIC KEY-----')).toMatch(/damaged/)
    expect(says('---- BEGIN SSH2 PUBLIC KEY ----\nAAAA')).toMatch(/cut off/)
  })

  it('has the fingerprint that others compute', () => {
    const { key } = makeKey('duty')
    const digest = execFileSync(
      'sh',
      ['-c', 'cut -d" " -f2 | base64 -d | openssl dgst -sha256 -binary | base64 | tr -d "=\n"'],
      { input: key.line, encoding: 'utf8' },
    )
    expect(key.fingerprint).toBe(`SHA256:${digest}`)
  })
})
