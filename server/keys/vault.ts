/** Secrets at rest: AES-256-GCM under a key that lies beside the records, readable by the server alone. */
import { createCipheriv, createDecipheriv, createHash, createHmac, randomBytes } from 'node:crypto'
import { existsSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'

export class Vault {
  private readonly key: Buffer

  constructor(dir: string) {
    const path = join(dir, 'vault.key')
    if (!existsSync(path)) writeFileSync(path, randomBytes(32), { mode: 0o600, flag: 'wx' })
    this.key = readFileSync(path)
    if (this.key.length !== 32) throw new Error(`${path} is damaged: it should hold 32 bytes`)
  }

  /** Sealed for one place: text moved to another row does not open there. */
  seal(text: string, place: string): string {
    const nonce = randomBytes(12)
    const cipher = createCipheriv('aes-256-gcm', this.key, nonce).setAAD(Buffer.from(place))
    const body = Buffer.concat([cipher.update(text, 'utf8'), cipher.final()])
    return Buffer.concat([nonce, cipher.getAuthTag(), body]).toString('base64')
  }

  open(sealed: string, place: string): string {
    const bytes = Buffer.from(sealed, 'base64')
    const decipher = createDecipheriv('aes-256-gcm', this.key, bytes.subarray(0, 12))
      .setAAD(Buffer.from(place))
      .setAuthTag(bytes.subarray(12, 28))
    return Buffer.concat([decipher.update(bytes.subarray(28)), decipher.final()]).toString('utf8')
  }

  /** A token that only this server can make, the same for the same purpose: six and sixteen characters. */
  token(purpose: string): string {
    const digits = createHmac('sha256', this.key).update(purpose).digest('hex')
    return `${digits.slice(0, 6)}.${digits.slice(6, 22)}`
  }
}

/** What may be shown and compared of a secret. */
export const fingerprintOf = (secret: string): string =>
  createHash('sha256').update(secret).digest('hex').slice(0, 16)
