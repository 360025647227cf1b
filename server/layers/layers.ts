/** Layered files that were kept: by name, as they were written, comments and all. */
import type { Params } from '~/core/contract'
import { dnsLabel } from '~/core/objects/dns-label'
import { Refusal } from '../changes/errors'
import type { Judges } from '../judging/judges'
import type { Database } from '../records/database'
import { LayerFileRow } from '../records/models'

const mostBytes = 2 * 1024 * 1024

export class Layers {
  constructor(
    private readonly database: Database,
    private readonly judges: Judges,
    private readonly journal: (says: string, params: Params) => Promise<void>,
  ) {}

  async list(): Promise<readonly { readonly name: string; readonly text: string }[]> {
    return (await LayerFileRow.findAll({ order: [['name', 'ASC']] })).map(({ name, text }) => ({
      name,
      text,
    }))
  }

  async get(name: string): Promise<string> {
    const row = await LayerFileRow.findByPk(name)
    if (!row) throw new Refusal('not-found', `There is no layered file ${name.slice(0, 80)}.`)
    return row.text
  }

  /** Keeps a file that can be read; refuses one that cannot, with the place. */
  async keep(name: string, text: string): Promise<void> {
    if (!dnsLabel.test(name))
      throw new Refusal(
        'invalid',
        `name: “${name.slice(0, 60)}” is no name. Small letters, digits and -.`,
        [{ path: 'name', says: 'small letters, digits and -' }],
      )
    if (text.length > mostBytes) throw new Refusal('too-large', 'A layered file has up to 2 MiB.')
    const read = await this.judges.layers(text, null)
    if (!read.ok && read.field === 'text')
      throw new Refusal('invalid', `text: ${read.says}`, [{ path: 'text', says: read.says }])
    await this.database.write((transaction) => LayerFileRow.upsert({ name, text }, { transaction }))
    await this.journal(`layered file ${name} kept`, { name, is: 'kept' })
  }

  async remove(name: string): Promise<void> {
    await this.get(name)
    await this.database.write((transaction) =>
      LayerFileRow.destroy({ where: { name }, transaction }),
    )
    await this.journal(`layered file ${name} removed`, { name, is: 'removed' })
  }
}
