/**
 * Secrets at rest: AES-256-GCM under a key that lies beside the data folder, not in it, readable by the server alone: a
 * copy of the folder gives no secret away.
 */
import { createCipheriv, createDecipheriv, createHash, createHmac, randomBytes } from 'node:crypto'
import {
  chmodSync,
  closeSync,
  copyFileSync,
  existsSync,
  fsyncSync,
  openSync,
  readFileSync,
  renameSync,
  rmSync,
  writeFileSync,
} from 'node:fs'
import { join } from 'node:path'
import { StartRefusal } from '../records/start-refusal'

/** Where the key of a data folder is unless it is said otherwise. */
export const usualKeyFile = (dir: string): string => `${dir.replace(/[/\\]+$/, '')}.key`

/** A file that is there whole or not at all, whenever the process ends. */
function putWhole(file: string, write: (part: string) => void): void {
  const part = `${file}.part`
  rmSync(part, { force: true })
  write(part)
  chmodSync(part, 0o600)
  const handle = openSync(part, 'r+')
  fsyncSync(handle)
  closeSync(handle)
  renameSync(part, file)
}

export class Vault {
  private readonly key: Buffer

  /** The key in a file, which is made if it is missing; one of before, in the data folder, is moved there. */
  constructor(dir: string, file = usualKeyFile(dir)) {
    const before = join(dir, 'vault.key')
    if (!existsSync(file))
      putWhole(file, (part) =>
        existsSync(before) ? copyFileSync(before, part) : writeFileSync(part, randomBytes(32)),
      )
    this.key = readFileSync(file)
    if (this.key.length !== 32)
      throw new StartRefusal(
        `The key in ${file} is damaged: it should hold 32 bytes. Put it back from where it is kept. Without it the secrets have to be entered again: move the file away and start.`,
      )
    if (existsSync(before) && readFileSync(before).equals(this.key)) rmSync(before)
  }

  /** What may be shown of the key: the same for the same key. */
  get fingerprint(): string {
    return createHash('sha256').update('gyrarch key').update(this.key).digest('hex').slice(0, 16)
  }

  /** Whether a sealed secret opens with this key. */
  opens(sealed: string, place: string): boolean {
    try {
      this.open(sealed, place)
      return true
    } catch {
      return false
    }
  }

  /** Sealed for one place: text moved to another row does not open there. */
  seal(text: string, place: string): string {
    const nonce = randomBytes(12)
    const cipher = createCipheriv('aes-256-gcm', this.key, nonce).setAAD(Buffer.from(place))
    const body = Buffer.concat([cipher.update(text, 'utf8'), cipher.final()])
    return Buffer.concat([nonce, cipher.getAuthTag(), body]).toString('base64')
  }

  /** What was sealed for a place. Throws where it was sealed with another key. */
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
