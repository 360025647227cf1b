/** The register of SSH keys: names are unique, and a key goes by no more than one. */
import type { Params } from '~/core/contract'
import { sshKeyName } from '~/core/keys'
import { Refusal } from '../changes/errors'
import type { Database } from '../records/database'
import { KeyRow } from '../records/models'
import { makeKey, type PublicKey, readPublicKey } from './ssh-key'

export interface KeyRecord {
  readonly name: string
  readonly line: string | null
  readonly fingerprint: string | null
}

async function enter(database: Database, name: string, key: PublicKey): Promise<void> {
  if (!sshKeyName.safeParse(name).success)
    throw new Refusal(
      'invalid',
      `“${name.slice(0, 70)}” is no name for a key. Use a–z, 0–9, dots and dashes, at most 63.`,
      [{ path: 'name', says: 'not a valid name' }],
    )
  await database.write(async (transaction) => {
    if (await KeyRow.findByPk(name, { transaction }))
      throw new Refusal('conflict', `There is a key ${name} already. Give this one another name.`, [
        { path: 'name', says: 'is taken' },
      ])
    const twin = await KeyRow.findOne({ where: { fingerprint: key.fingerprint }, transaction })
    if (twin)
      throw new Refusal('conflict', `This key is entered already, as ${twin.name}.`, [
        { path: 'publicKey', says: `is ${twin.name}` },
      ])
    await KeyRow.create({ name, line: key.line, fingerprint: key.fingerprint }, { transaction })
  })
}

export class Keys {
  private readonly database: Database
  /** Told when the register has changed. */
  private readonly changed: (says: string, params: Params) => Promise<void>

  constructor(database: Database, changed: (says: string, params: Params) => Promise<void>) {
    this.database = database
    this.changed = changed
  }

  async list(): Promise<readonly KeyRecord[]> {
    return (await KeyRow.findAll({ order: [['name', 'ASC']] })).map(
      ({ name, line, fingerprint }) => ({ name, line, fingerprint }),
    )
  }

  /** Enters a pasted public key. */
  async paste(name: string, text: string): Promise<void> {
    const read = readPublicKey(text)
    if (!read.ok) throw new Refusal('invalid', read.says, [{ path: 'publicKey', says: read.says }])
    await enter(this.database, name, read.key)
    await this.changed(`SSH key ${name} entered, ${read.key.fingerprint}`, {
      name,
      is: 'entered',
      fingerprint: read.key.fingerprint,
    })
  }

  /** Makes a key and gives its private half, which is shown this once. */
  async make(name: string): Promise<string> {
    const { key, privateKey } = makeKey(name)
    await enter(this.database, name, key)
    await this.changed(`SSH key ${name} made, ${key.fingerprint}`, {
      name,
      is: 'made',
      fingerprint: key.fingerprint,
    })
    return privateKey
  }

  async strike(name: string): Promise<void> {
    const gone = await this.database.write((transaction) =>
      KeyRow.destroy({ where: { name }, transaction }),
    )
    if (gone === 0) throw new Refusal('not-found', `There is no key ${name.slice(0, 70)}.`)
    await this.changed(`SSH key ${name} struck`, { name, is: 'struck' })
  }
}
