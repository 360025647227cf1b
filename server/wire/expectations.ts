/** Walks that are kept as expectations. They are Gyrarch’s own: keeping one changes nothing outside. */
import type { Params } from '~/core/contract'
import { z } from 'zod'
import { fromSchema, portSchema, protocolSchema, toSchema } from '~/core/wire'
import { Refusal, refuseIssues } from '../changes/errors'
import type { Database } from '../records/database'
import { ExpectationRow } from '../records/models'

export const expectationSchema = z.object({
  name: z.string().trim().min(1, 'Give it a name, like “the desk reaches the ledger”.').max(200),
  from: fromSchema,
  to: toSchema,
  port: portSchema,
  protocol: protocolSchema.default('TCP'),
  delivered: z.boolean(),
})

const max = 500

export class Expectations {
  constructor(
    private readonly database: Database,
    private readonly journal: (says: string, params: Params) => Promise<void>,
    private readonly changed: () => void,
  ) {}

  async keep(given: unknown): Promise<string> {
    const read = expectationSchema.safeParse(given)
    if (!read.success) throw refuseIssues(read.error.issues)
    const { name, from, to, port, protocol, delivered } = read.data
    if ((await ExpectationRow.count()) >= max && !(await ExpectationRow.findByPk(name)))
      throw new Refusal('too-large', `Up to ${max} expectations are kept. Remove one first.`)
    await this.database.write((transaction) =>
      ExpectationRow.upsert(
        { name, from: { ...from }, to: { ...to }, port, protocol, delivered },
        { transaction },
      ),
    )
    this.changed()
    await this.journal(`expected from now on: ${name}`, { name, is: 'kept' })
    return name
  }

  async remove(name: string): Promise<void> {
    if ((await ExpectationRow.destroy({ where: { name } })) === 0)
      throw new Refusal('not-found', `Nothing called ${name.slice(0, 80)} is expected.`)
    this.changed()
    await this.journal(`no longer expected: ${name}`, { name, is: 'removed' })
  }
}
