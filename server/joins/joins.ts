/** Machines that join by a script: the scripts, their calls, and what each is told. */
import { saidOf } from '~/core/contract'
import { said } from './says'
import { z } from 'zod'
import { clusterOf, nodesOf, siteOf } from '~/core/fleet'
import { readContact } from '~/core/ground'
import {
  type CallFacts,
  type CallProblem,
  joinScript,
  judgeCall,
  missingToQuorum,
  type RaiseIntent,
} from '~/core/provisioning'
import { Refusal } from '../changes/errors'
import type { Fleet } from '../fleet/fleet'
import type { Vault } from '../keys/vault'
import type { Database } from '../records/database'
import { ChangeRow, JoinRow, StepRow } from '../records/models'
import { changeId, type Line } from '../runner/journal'
import { joinTokenMs } from '../connectors/ledger/register'
import { type Observe, ref } from '~/core/contract'
import type { Runner } from '../runner/runner'

const card = z.union([
  z.object({
    name: z.string().max(60),
    mac: z.string().max(40).default(''),
    addresses: z.array(z.string().max(80)).max(64),
  }),
  // As `ip -json address show` writes it.
  z
    .object({
      ifname: z.string().max(60),
      address: z.string().max(40).default(''),
      addr_info: z
        .array(
          z.looseObject({ local: z.string().max(80).optional(), prefixlen: z.number().optional() }),
        )
        .max(64)
        .default([]),
    })
    .transform((raw) => ({
      name: raw.ifname,
      mac: raw.address,
      addresses: raw.addr_info.flatMap((info) =>
        info.local === undefined
          ? []
          : [info.prefixlen === undefined ? info.local : `${info.local}/${info.prefixlen}`],
      ),
    })),
])

export const callBody = z.object({
  hostname: z.string().max(253),
  arch: z.string().max(40),
  clock: z.string().max(40),
  runtime: z.boolean(),
  cards: z.array(card).max(256),
})

export interface JoinState {
  readonly machine: string
  readonly node: string
  readonly roles: readonly string[]
  readonly card: string
  readonly address: string
  readonly state: 'waited for' | 'taken' | 'refused' | 'ended'
  /** ISO time, in real time, until which its script is taken. */
  readonly until: string
  /** Whole minutes of real time until then. */
  readonly minutesLeft: number
  readonly says: string | null
  /** Whether the run has given up on it until its draft is amended. */
  readonly stuck: boolean
  /** The script, while it can still be used. */
  readonly script: string | null
  readonly facts: CallFacts | null
}

export interface JoinParts {
  readonly database: Database
  readonly fleet: Fleet
  readonly runner: Runner
  readonly vault: Vault
  readonly clock: { readonly now: number }
  /** Milliseconds of real time: scripts are used by people in front of machines. */
  readonly wall: () => number
  readonly observe: Pick<Observe, 'boxFacts'>
  readonly journal: (line: Line) => Promise<void>
}

/** How it stands with a machine, in words; null where it is simply waited for. */
function saysOf(row: JoinRow, ended: boolean, reachedAt: string | null): string | null {
  if (row.refused !== null) return row.refused
  if (row.usedAt !== null) return `called at ${row.usedAt.slice(11, 16)}`
  if (ended) return 'Its script has ended: make a new one.'
  if (reachedAt === null)
    return `Nobody has said where machines at ${row.site} reach Gyrarch. Say it for the site, then its script can be taken.`
  return null
}

/** What a machine finds that only another draft can put right. */
const needsAnotherDraft: ReadonlySet<CallProblem['reason']> = new Set([
  'join-card',
  'join-address',
  'join-name',
])

export class Joins {
  constructor(private readonly parts: JoinParts) {}

  private token(row: JoinRow): string {
    return this.parts.vault.token(`join/${row.change}/${row.machine}/${row.round}/${row.until}`)
  }

  /** What a change waits for, with what is missing to a majority. `base` is where Gyrarch is reached. */
  async of(
    id: string,
    base: string,
  ): Promise<{ readonly machines: readonly JoinState[]; readonly missing: string | null }> {
    const number = Number(/^c-(\d{1,12})$/.exec(id)?.[1] ?? Number.NaN)
    const change = Number.isNaN(number) ? null : await ChangeRow.findByPk(number)
    if (!change) throw new Refusal('not-found', `There is no change ${id.slice(0, 40)}.`)
    const intent = change.intent as RaiseIntent
    const rows = await JoinRow.findAll({ where: { change: number } })
    const failed = new Set(
      (await StepRow.findAll({ where: { change: number, state: 'failed' } })).map((step) =>
        String(step.command.args['machine'] ?? ''),
      ),
    )
    const reachedAt = this.reachedAt(intent.site, base)
    const machines = (intent.machines ?? []).flatMap((machine): JoinState[] => {
      const row = rows.find((join) => join.machine === machine.machine)
      if (!row) return []
      const ended = Date.parse(row.until) <= this.parts.wall()
      let state: 'taken' | 'refused' | 'ended' | 'waited for'
      if (row.usedAt !== null) state = 'taken'
      else if (row.refused !== null) state = 'refused'
      else if (ended) state = 'ended'
      else state = 'waited for'
      return [
        {
          machine: row.machine,
          node: row.node,
          roles: machine.roles,
          card: row.card,
          address: row.address,
          state,
          until: row.until,
          minutesLeft: Math.max(0, Math.ceil((Date.parse(row.until) - this.parts.wall()) / 60_000)),
          says: saysOf(row, ended, reachedAt),
          stuck: failed.has(row.machine),
          script:
            row.usedAt !== null || ended || failed.has(row.machine) || reachedAt === null
              ? null
              : joinScript(
                  { ...row.get(), roles: machine.roles, arch: '' },
                  `${reachedAt}/api/v1/join/${this.token(row)}`,
                  row.until,
                ),
          facts: row.facts,
        },
      ]
    })
    const members = machines.filter((machine) => machine.roles.includes('control-plane'))
    return {
      machines,
      missing:
        members.length === 0
          ? null
          : missingToQuorum(
              members.length,
              members.filter((machine) => machine.state === 'taken').length,
            ),
    }
  }

  /** Where a machine at a site calls: as the site’s setting says, or as Gyrarch was asked, if that leads anywhere from there. */
  private reachedAt(site: string, base: string): string | null {
    const setting = siteOf(this.parts.fleet.last(), site)?.gyrarchAt
    if (setting !== undefined) return setting
    return readContact(base).ok ? base : null
  }

  /** A new script for a machine whose old one has ended; the old one’s token is no longer taken. */
  async renew(id: string, machine: string): Promise<void> {
    const row = await this.find(id, machine)
    if (row.usedAt !== null) throw new Refusal('conflict', `${machine} has called already.`)
    await this.parts.database.write((transaction) =>
      row.update(
        {
          round: row.round + 1,
          until: new Date(this.parts.wall() + joinTokenMs).toISOString(),
          refused: null,
        },
        { transaction },
      ),
    )
    await this.parts.journal({
      kind: 'join.script',
      change: row.change,
      about: `machine/${row.site}/${machine}`,
      says: `a new join script was made for ${machine}`,
      params: { machine, site: row.site },
    })
  }

  /** The stand-in machine’s owner runs the script on it: what it finds is what it tells. */
  async runOnStandIn(id: string, machine: string): Promise<{ readonly says: string }> {
    const row = await this.find(id, machine)
    const facts = await this.parts.observe.boxFacts(row.site, machine)
    if (!facts)
      throw new Refusal('conflict', `${machine} cannot be reached: no operating system runs on it.`)
    return this.call(this.token(row), facts)
  }

  /** A script calls. The token is for one use; a machine that has something to put right may call again. */
  async call(token: string, given: CallFacts): Promise<{ readonly says: string }> {
    const rows = await JoinRow.findAll()
    const row = await this.awaited(rows, token, given)
    const problems = await this.problemsOf(row, rows, given)
    if (problems.length > 0) return this.refuseCall(row, given, problems)
    return this.take(row, given)
  }

  /** The join whose token this is, while it may still be used. */
  private async awaited(
    rows: readonly JoinRow[],
    token: string,
    given: CallFacts,
  ): Promise<JoinRow> {
    const row = rows.find((join) => this.token(join) === token)
    if (!row)
      throw new Refusal(
        'not-found',
        'This join token is not known: it was replaced by a newer one, or its change is over.',
      )
    if (row.usedAt !== null)
      throw new Refusal(
        'conflict',
        `The token of ${row.machine} was used at ${row.usedAt.slice(11, 16)}. It is for one use.`,
      )
    if (Date.parse(row.until) > this.parts.wall()) return row
    await this.refuse(row, given, `The script of ${row.machine} has ended: make a new one.`)
    throw new Refusal(
      'conflict',
      `The token ended at ${row.until}. Make a new script for ${row.machine}.`,
    )
  }

  private async problemsOf(
    row: JoinRow,
    rows: readonly JoinRow[],
    given: CallFacts,
  ): Promise<readonly CallProblem[]> {
    const view = await this.parts.fleet.view()
    const cluster = clusterOf(view, row.cluster)
    const box = siteOf(view, row.site)?.boxes.find((candidate) => candidate.name === row.machine)
    const others = rows
      .filter((join) => join.change === row.change && join.machine !== row.machine)
      .flatMap(({ machine, facts }) => (facts ? [{ machine, facts }] : []))
    return judgeCall(
      { ...row.get(), arch: box?.arch ?? given.arch },
      given,
      others,
      cluster ? nodesOf(cluster).map((node) => node.name) : [],
      new Date(this.parts.clock.now).toISOString(),
    )
  }

  /** What only another draft can put right halts the run; the rest is put right on the machine. */
  private async refuseCall(
    row: JoinRow,
    given: CallFacts,
    problems: readonly CallProblem[],
  ): Promise<never> {
    const sentences = problems.map((problem) => problem.says)
    const says = sentences.join(' ')
    await this.refuse(row, given, says)
    const machine = ref('machine', row.site, row.machine)
    const draft = problems.find(({ reason }) => needsAnotherDraft.has(reason))
    if (draft)
      await this.parts.runner.called(row.change, machine, {
        told: said('call.wrong', { problems: sentences }),
        result: null,
        failure: {
          class: 'permanent',
          reason: draft.reason,
          ...saidOf(draft),
          chain: [
            { about: `card/${row.site}/${row.machine}/${row.card}`, ...saidOf(draft) },
            { about: machine, ...said('call.not-taken') },
          ],
        },
      })
    else
      await this.parts.runner.noteCall(
        row.change,
        machine,
        said('call.refused', { problems: sentences }),
      )
    throw new Refusal(
      'conflict',
      says,
      problems.map((problem) => ({ path: problem.reason, says: problem.says })),
    )
  }

  /** The machine is as the draft has it: its token is used up and the run goes on. */
  private async take(row: JoinRow, given: CallFacts): Promise<{ readonly says: string }> {
    const at = new Date(this.parts.clock.now).toISOString()
    await this.parts.database.write((transaction) =>
      row.update({ usedAt: at, facts: { ...given }, refused: null }, { transaction }),
    )
    const { machine, address, card } = row
    const told = said('call.taken', { machine, address, card })
    await this.parts.journal({
      kind: 'join.called',
      change: row.change,
      about: `machine/${row.site}/${machine}`,
      says: told.says,
      params: told.params,
    })
    await this.parts.runner.called(row.change, ref('machine', row.site, machine), {
      told,
      result: { address, calledAt: at },
      failure: null,
    })
    return { says: `${machine} is taken into ${row.cluster} as ${row.node}.` }
  }

  private async refuse(row: JoinRow, facts: CallFacts, says: string): Promise<void> {
    await this.parts.database.write((transaction) =>
      row.update({ facts: { ...facts }, refused: says }, { transaction }),
    )
    await this.parts.journal({
      kind: 'join.refused',
      change: row.change,
      about: `machine/${row.site}/${row.machine}`,
      says,
      params: { machine: row.machine, site: row.site },
    })
  }

  private async find(id: string, machine: string): Promise<JoinRow> {
    const row = await JoinRow.findOne({
      where: { change: Number(/^c-(\d{1,12})$/.exec(id)?.[1] ?? -1), machine },
    })
    if (!row)
      throw new Refusal(
        'not-found',
        `${changeId(Number(id.slice(2)) || 0)} waits for no machine ${machine.slice(0, 80)}.`,
      )
    return row
  }
}
