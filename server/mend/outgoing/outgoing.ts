/**
 * Notices of cases and runs to those who asked for them: each a JSON body, signed, sent until it is taken or given up.
 * What was not sent when the program ended is sent when it starts again.
 */
import { createHmac } from 'node:crypto'
import { Op } from 'sequelize'
import { Refusal, refuseIssues } from '../../changes/errors'
import type { Vault } from '../../keys/vault'
import type { Hub, JournalEntry } from '../../live/hub'
import type { Database } from '../../records/database'
import type { Post, Posted } from './post'
import { noticeKinds, receiverSchema } from './kinds'
import { DeliveryRow, ReceiverRow } from './rows'
import { said } from './says'
import type { Line } from '../../runner/journal'

/** Pauses before the next attempt (ms): given up after the last. */
const pausesMs = [10_000, 60_000, 300_000, 1_800_000, 7_200_000] as const
const mostReceivers = 20
/** So many deliveries that have ended are kept. */
const mostKept = 500

interface OutgoingParts {
  readonly database: Database
  readonly hub: Hub
  readonly vault: Vault
  readonly post: Post
  readonly journal: (line: Line) => Promise<void>
  readonly onError: (error: unknown) => void
  /** Wall time (ms). */
  readonly wall: () => number
}

const iso = (ms: number): string => new Date(ms).toISOString()

/** `sha256=` and the HMAC of the time, a full stop and the body, in hexadecimal. */
export const signatureOf = (secret: string, at: string, body: string): string =>
  `sha256=${createHmac('sha256', secret).update(`${at}.${body}`).digest('hex')}`

function stateAfter(isDelivered: boolean, isOver: boolean): DeliveryRow['state'] {
  if (isDelivered) return 'delivered'
  return isOver ? 'given-up' : 'waiting'
}

export class Outgoing {
  private timer: NodeJS.Timeout | null = null
  private lane: Promise<void> = Promise.resolve()
  private isClosed = false

  constructor(private readonly parts: OutgoingParts) {
    parts.hub.on('journal', (entry) => this.told(entry))
  }

  receivers(): Promise<readonly ReceiverRow[]> {
    return ReceiverRow.findAll({ order: [['name', 'ASC']] })
  }

  /** The newest first. */
  deliveries(limit = 100): Promise<readonly DeliveryRow[]> {
    return DeliveryRow.findAll({ order: [['id', 'DESC']], limit })
  }

  async keep(given: unknown): Promise<ReceiverRow> {
    const read = receiverSchema.safeParse(given)
    if (!read.success) throw refuseIssues(read.error.issues)
    const { name, url, kinds, secret } = read.data
    const before = await ReceiverRow.findByPk(name)
    if (!before && (await ReceiverRow.count()) >= mostReceivers)
      throw new Refusal('too-large', said('receiver-many', { most: mostReceivers }).says)
    if (!before && secret === undefined)
      throw new Refusal('invalid', said('receiver-secret').says, [
        { path: 'secret', says: said('receiver-secret').says },
      ])
    const sealed =
      secret === undefined ? before?.sealed : this.parts.vault.seal(secret, `receiver/${name}`)
    await this.parts.database.write((transaction) =>
      ReceiverRow.upsert({ name, url, kinds, sealed: sealed ?? '' }, { transaction }),
    )
    await this.parts.journal({
      kind: 'receiver.changed',
      ...said('receiver-kept', { name, url }),
    })
    return this.named(name)
  }

  async remove(name: string): Promise<void> {
    await this.named(name)
    await this.parts.database.write(async (transaction) => {
      await ReceiverRow.destroy({ where: { name }, transaction })
      await DeliveryRow.destroy({ where: { receiver: name, state: 'waiting' }, transaction })
    })
    await this.parts.journal({
      kind: 'receiver.changed',
      ...said('receiver-removed', { name }),
    })
  }

  /** Sends a test at once; tells what came of it. */
  async test(name: string): Promise<DeliveryRow> {
    const row = await this.named(name)
    const at = iso(this.parts.wall())
    const delivery = await this.make(row, 'test', { kind: 'test', at, says: said('tested').says })
    await this.attempt(delivery)
    return delivery
  }

  /** Tries a delivery once more, now. */
  async again(id: number): Promise<DeliveryRow> {
    const row = await DeliveryRow.findByPk(id)
    if (!row) throw new Refusal('not-found', said('delivery-none', { id }).says)
    await this.attempt(row)
    return row
  }

  /** What was left when the program ended. */
  start(): void {
    this.pump()
  }

  async close(): Promise<void> {
    this.isClosed = true
    if (this.timer) clearTimeout(this.timer)
    await this.lane
  }

  /** Resolves when nothing is being sent. */
  atRest(): Promise<void> {
    return this.lane
  }

  private async named(name: string): Promise<ReceiverRow> {
    const row = await ReceiverRow.findByPk(name)
    if (!row)
      throw new Refusal('not-found', said('receiver-none', { name: name.slice(0, 80) }).says)
    return row
  }

  private told(entry: JournalEntry): void {
    if (this.isClosed || !noticeKinds.some((kind) => kind === entry.kind)) return
    this.lane = this.lane
      .then(async () => {
        for (const row of await this.receivers())
          if (row.kinds.includes(entry.kind))
            await this.make(row, entry.kind, {
              kind: entry.kind,
              at: entry.at,
              says: entry.says,
              change: entry.change,
              about: entry.about,
              by: entry.by,
              line: entry.seq,
            })
      })
      .catch(this.parts.onError)
    this.pump()
  }

  private make(row: ReceiverRow, kind: string, body: object): Promise<DeliveryRow> {
    const now = iso(this.parts.wall())
    return this.parts.database.write((transaction) =>
      DeliveryRow.create(
        {
          receiver: row.name,
          kind,
          body: JSON.stringify(body),
          state: 'waiting',
          attempts: 0,
          madeAt: now,
          dueAt: now,
          endedAt: null,
          status: null,
          says: null,
        },
        { transaction },
      ),
    )
  }

  private pump(): void {
    this.lane = this.lane.then(() => this.sendDue()).catch(this.parts.onError)
  }

  private async sendDue(): Promise<void> {
    if (this.isClosed) return
    const waiting = { state: 'waiting' as const }
    const due = await DeliveryRow.findAll({
      where: { ...waiting, dueAt: { [Op.lte]: iso(this.parts.wall()) } },
      order: [['id', 'ASC']],
      limit: 50,
    })
    for (const row of due) await this.attempt(row)
    const next = await DeliveryRow.findOne({ where: waiting, order: [['dueAt', 'ASC']] })
    if (this.timer) clearTimeout(this.timer)
    this.timer = null
    if (!next?.dueAt) return
    const wait = Math.max(200, Date.parse(next.dueAt) - this.parts.wall())
    this.timer = setTimeout(() => this.pump(), wait)
    this.timer.unref()
  }

  /** Sends a body signed with the receiver’s secret. */
  private async sent(receiver: ReceiverRow, row: DeliveryRow, at: string): Promise<Posted> {
    const { vault, post } = this.parts
    const place = `receiver/${receiver.name}`
    if (!vault.opens(receiver.sealed, place))
      return { delivered: false, status: null, says: said('receiver-unopened').says }
    return post(
      receiver.url,
      {
        'Content-Type': 'application/json',
        'User-Agent': 'gyrarch',
        'Gyrarch-Kind': row.kind,
        'Gyrarch-Delivery': String(row.id),
        'Gyrarch-Time': at,
        'Gyrarch-Signature': signatureOf(vault.open(receiver.sealed, place), at, row.body),
      },
      row.body,
    )
  }

  private async attempt(row: DeliveryRow): Promise<void> {
    const receiver = await ReceiverRow.findByPk(row.receiver)
    if (!receiver) {
      // Nobody is left to be told: left waiting, it would be due for ever.
      await this.parts.database.write((transaction) =>
        row.update(
          {
            state: 'given-up',
            dueAt: null,
            endedAt: iso(this.parts.wall()),
            says: said('receiver-none', { name: row.receiver }).says,
          },
          { transaction },
        ),
      )
      return
    }
    const at = iso(this.parts.wall())
    const { delivered, status, says } = await this.sent(receiver, row, at)
    const attempts = row.attempts + 1
    const pause = row.kind === 'test' ? undefined : pausesMs[attempts - 1]
    const isOver = delivered || pause === undefined
    await this.parts.database.write(async (transaction) => {
      await row.update(
        {
          attempts,
          status,
          says,
          state: stateAfter(delivered, isOver),
          dueAt: isOver ? null : iso(this.parts.wall() + pause),
          endedAt: isOver ? iso(this.parts.wall()) : null,
        },
        { transaction },
      )
      await DeliveryRow.destroy({
        where: { id: { [Op.lte]: row.id - mostKept }, state: { [Op.ne]: 'waiting' } },
        transaction,
      })
    })
  }
}
