/** Site credentials: what Gyrarch signs its orders with. Encrypted at rest, never shown again, checked with the site. */
import type { Params } from '~/core/contract'
import { credentialName, fewestSecretCharacters } from '~/core/keys'
import type { Database } from '../records/database'
import { CredentialRow } from '../records/models'
import { Refusal } from '../changes/errors'
import { fingerprintOf, type Vault } from './vault'

/** What the credentials ask of the outside. */
export interface CredentialSite {
  readonly now: number
  enterCredential(site: string, fingerprint: string, until: number): Promise<void>
  checkCredential(
    site: string,
    fingerprint: string,
  ): Promise<{ readonly good: boolean; readonly says: string }>
}

export interface CredentialWish {
  readonly site: string
  readonly name: string
  readonly secret: string
  /** ISO time. */
  readonly until: string
}

const unopened = 'its secret does not open with the key that is here; enter it again'

const placeOf = (of: { readonly site: string; readonly name: string }): string =>
  `${of.site}/${of.name}`

export class Credentials {
  constructor(
    private readonly database: Database,
    private readonly vault: Vault,
    private readonly outside: CredentialSite,
    private readonly changed: (says: string, params: Params) => Promise<void>,
  ) {}

  async enter(credential: CredentialWish): Promise<void> {
    const fields: { path: string; says: string }[] = []
    if (!credentialName.safeParse(credential.name).success)
      fields.push({ path: 'name', says: 'use a–z, 0–9 and inner dashes, at most 63' })
    if (credential.secret.length < fewestSecretCharacters)
      fields.push({ path: 'secret', says: `has fewer than ${fewestSecretCharacters} characters` })
    const until = Date.parse(credential.until)
    if (Number.isNaN(until)) fields.push({ path: 'until', says: 'is no date' })
    else if (until <= this.outside.now) fields.push({ path: 'until', says: 'has passed' })
    if (await CredentialRow.findOne({ where: { site: credential.site, name: credential.name } }))
      fields.push({
        path: 'name',
        says: `${credential.site} has a credential of this name; remove it first`,
      })
    if (fields.length > 0)
      throw new Refusal(
        'invalid',
        `The credential was not kept: ${fields.map((field) => `${field.path} ${field.says}`).join('; ')}.`,
        fields,
      )
    const fingerprint = fingerprintOf(credential.secret)
    await this.outside.enterCredential(credential.site, fingerprint, until)
    await this.database.write((transaction) =>
      CredentialRow.create(
        {
          site: credential.site,
          name: credential.name,
          sealed: this.vault.seal(credential.secret, placeOf(credential)),
          fingerprint,
          until: new Date(until).toISOString(),
          checkedAt: null,
          checkedSays: null,
          checkedGood: null,
        },
        { transaction },
      ),
    )
    await this.changed(
      `credential ${credential.name} for ${credential.site} entered, until ${credential.until.slice(0, 10)}`,
      { name: credential.name, site: credential.site, is: 'entered', until: credential.until },
    )
    await this.check(credential.site, credential.name)
  }

  /** Marks those whose secrets do not open with the key that is here, as after a restore without it; names them. */
  async markUnopened(): Promise<readonly string[]> {
    const rows = (await CredentialRow.findAll()).filter(
      (row) => !this.vault.opens(row.sealed, placeOf(row)),
    )
    for (const row of rows.filter(({ checkedSays }) => checkedSays !== unopened)) {
      await this.database.write((transaction) =>
        row.update({ checkedSays: unopened, checkedGood: false }, { transaction }),
      )
      await this.changed(`credential ${row.name} for ${row.site}: ${unopened}`, {
        name: row.name,
        site: row.site,
        is: 'not opened',
      })
    }
    return rows.map((row) => `credential ${row.name} for ${row.site}`)
  }

  /** Asks the site whether it takes the credential, with the secret as it lies sealed. */
  async check(site: string, name: string): Promise<void> {
    const row = await this.find(site, name)
    if (!this.vault.opens(row.sealed, placeOf(row)))
      throw new Refusal('conflict', `Credential ${name} for ${site}: ${unopened}.`)
    const { good, says } = await this.outside.checkCredential(
      site,
      fingerprintOf(this.vault.open(row.sealed, placeOf(row))),
    )
    await this.database.write((transaction) =>
      row.update(
        {
          checkedAt: new Date(this.outside.now).toISOString(),
          checkedSays: says,
          checkedGood: good,
        },
        { transaction },
      ),
    )
    await this.changed(`credential ${name} for ${site}: ${says}`, { name, site, is: 'checked' })
  }

  async remove(site: string, name: string): Promise<void> {
    const row = await this.find(site, name)
    await this.database.write((transaction) => row.destroy({ transaction }))
    await this.changed(`credential ${name} for ${site} removed`, { name, site, is: 'removed' })
  }

  private async find(site: string, name: string): Promise<CredentialRow> {
    const row = await CredentialRow.findOne({ where: { site, name } })
    if (!row)
      throw new Refusal('not-found', `${site.slice(0, 80)} has no credential ${name.slice(0, 80)}.`)
    return row
  }
}
