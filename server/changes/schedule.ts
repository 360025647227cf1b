/**
 * Changes that run later: at a time, or when a maintenance window next opens. When its time has come a change is checked
 * and planned again by the fleet as it is then; what differs from what its author read gives it back to him.
 */
import { Op, type Transaction } from 'sequelize'
import type { FleetView } from '~/core/fleet'
import type { Draft } from '~/core/kinds'
import { isCovered, nextOccurrence, windowNamed, windowsOf } from '~/core/windows'
import type { Said } from '~/core/contract'
import { durationText, isoTime, listText } from '~/core/units'
import { ChangeRow } from '../records/models'
import { isoClock } from '../runner/active'
import { writeJournal } from '../runner/journal'
import { admit, type RunRequest } from './admission'
import { Refusal } from './errors'
import type { Judged } from '../judging/judge'
import type { ChangesParts } from './parts'
import { said } from './says'

export interface ScheduleRequest extends RunRequest {
  /** ISO time. */
  readonly at?: string | undefined
  readonly window?: string | undefined
}

/** The clusters that a draft touches. */
export const clustersTouched = (
  subjects: readonly string[],
  view: FleetView,
): readonly string[] => [
  ...new Set(
    subjects.flatMap((subject) => {
      const name = subject.split('/')[1]
      return view.clusters.some((cluster) => cluster.name === name) && name !== undefined
        ? [name]
        : []
    }),
  ),
]

/** When it is due (ms); refuses a time that is past, and a window that is not meant for it or too short. */
function dueTime(view: FleetView, judged: Judged, request: ScheduleRequest, now: number): number {
  if ((request.at === undefined) === (request.window === undefined))
    throw new Refusal('invalid', 'Say when: `at` with a time, or `window` with a name.', [
      { path: 'at', says: 'give this or a window' },
    ])
  if (request.at !== undefined) {
    const at = Date.parse(request.at)
    if (!(at > now))
      throw new Refusal('invalid', `at: ${request.at} is not ahead; it is ${isoTime(now)} now.`, [
        { path: 'at', says: 'must be later than now' },
      ])
    return at
  }
  const name = request.window ?? ''
  const window = windowNamed(view, name)
  if (!window)
    throw new Refusal(
      'invalid',
      `There is no window ${name.slice(0, 80)}. There are: ${listText(windowsOf(view).map((each) => each.name))}.`,
      [{ path: 'window', says: 'unknown window' }],
    )
  const bare = clustersTouched(judged.subjects, view).filter((cluster) => {
    const touched = view.clusters.find((each) => each.name === cluster)
    return touched !== undefined && !isCovered(window, touched)
  })
  if (bare.length > 0)
    throw new Refusal('conflict', `Window ${name} does not cover ${listText(bare)}.`, [
      { path: 'window', says: `does not cover ${listText(bare)}` },
    ])
  const worst = judged.plan?.seconds.worst ?? 0
  const key = `window.short|window/${name}`
  if (worst > window.minutes * 60 && !request.accept.includes(key))
    throw new Refusal(
      'conflict',
      `A caution is not accepted: it may take ${durationText(worst)}, and window ${name} lasts ${durationText(window.minutes * 60)} (${key}).`,
      [{ path: 'accept', says: key }],
    )
  const next = nextOccurrence(window, now)
  if (!next)
    throw new Refusal('conflict', `Window ${name} does not open again within two years.`, [
      { path: 'window', says: 'never again' },
    ])
  return next.start
}

/** Puts a draft on the schedule, if it could run now as it was read. */
export async function schedule(
  parts: ChangesParts,
  row: ChangeRow,
  draft: Draft,
  request: ScheduleRequest,
): Promise<void> {
  const judged = await parts.judges.judge(row.kind, draft)
  const { view } = judged
  const id = `c-${row.number}`
  admit(id, draft, view, judged, request)
  const due = dueTime(view, judged, request, parts.clock.now)
  await parts.database.write(async (transaction) => {
    await row.update(
      {
        state: 'scheduled',
        dueAt: isoClock(due),
        window: request.window ?? null,
        accepted: [...request.accept],
        confirmed: [...draft.guards(view)],
        findings: [...judged.findings],
        plan: judged.plan,
        planDigest: judged.digest,
        returned: null,
      },
      { transaction },
    )
    await writeJournal(parts.hub, transaction, isoClock(parts.clock.now), [
      {
        kind: 'change.scheduled',
        change: row.number,
        params: { label: row.label, at: isoClock(due), window: request.window ?? null },
        says: `${row.label}: scheduled for ${isoTime(due)}${request.window === undefined ? '' : `, ${request.window}`}`,
      },
    ])
  })
  parts.hub.emit('run', { change: row.number, steps: [] })
  parts.scheduleChanged()
}

const offSchedule = { state: 'draft', dueAt: null, window: null, confirmed: null } as const

export async function unschedule(parts: ChangesParts, row: ChangeRow): Promise<void> {
  await parts.database.write(async (transaction) => {
    await row.update(offSchedule, { transaction })
    await writeJournal(parts.hub, transaction, isoClock(parts.clock.now), [
      {
        kind: 'change.unscheduled',
        change: row.number,
        params: { label: row.label },
        says: `${row.label}: taken off the schedule`,
      },
    ])
  })
  parts.hub.emit('run', { change: row.number, steps: [] })
  parts.scheduleChanged()
}

/** Why what was read is not what would run now; null where it is. */
export function whyNotAsRead(row: ChangeRow, judged: Judged): Said | null {
  const stop = judged.findings.find((finding) => finding.level === 'stop')
  if (stop) return said('returned.stopped', { stop: stop.says })
  const fresh = judged.findings.filter(
    (finding) => finding.level === 'caution' && !row.accepted.includes(finding.key),
  )
  if (fresh.length > 0)
    return said('returned.cautions', { cautions: fresh.map((finding) => finding.says) })
  return judged.digest === row.planDigest ? null : differs(row, judged)
}

/** Steps that came, went or would be done otherwise. */
function differs(row: ChangeRow, judged: Judged): Said {
  const read = new Map((row.plan?.steps ?? []).map((step) => [step.id, step]))
  const now = new Map((judged.plan?.steps ?? []).map((step) => [step.id, step]))
  const textOf = (step: { readonly group: string; readonly says: string }): string =>
    `${step.group}: ${step.says}`
  return said('returned.differs', {
    come: [...now.values()].filter(({ id }) => !read.has(id)).map(textOf),
    gone: [...read.values()].filter(({ id }) => !now.has(id)).map(textOf),
    otherwise: [...now.values()]
      .filter((step) => {
        const before = read.get(step.id)
        return before && JSON.stringify(before.command) !== JSON.stringify(step.command)
      })
      .map(textOf),
  })
}

export const whyReturned = (row: ChangeRow, judged: Judged): Said =>
  whyNotAsRead(row, judged) ?? differs(row, judged)

/** Gives a change back to its author as a draft, with why. */
export async function giveBack(
  parts: ChangesParts,
  transaction: Transaction,
  row: ChangeRow,
  why: Said,
): Promise<void> {
  const at = isoClock(parts.clock.now)
  await row.update({ ...offSchedule, waitsFor: null, returned: { ...why, at } }, { transaction })
  await writeJournal(parts.hub, transaction, at, [
    {
      kind: 'change.returned',
      change: row.number,
      params: { label: row.label, code: why.code, ...why.params },
      says: `${row.label}: a draft again. ${why.says}`,
    },
  ])
}

/** Starts what is due, in the order of its times; tells when the next is due (ms), or null. */
export async function runDue(
  parts: ChangesParts,
  read: (row: ChangeRow) => Draft,
  begin: (row: ChangeRow, view: FleetView, judged: Judged) => Promise<void>,
): Promise<number | null> {
  const order: [string, string][] = [
    ['dueAt', 'ASC'],
    ['number', 'ASC'],
  ]
  const now = isoClock(parts.clock.now)
  const due = await ChangeRow.findAll({
    where: { state: 'scheduled', dueAt: { [Op.lte]: now } },
    order,
  })
  for (const row of due) {
    const draft = read(row)
    const judged = await parts.judges.judge(row.kind, draft)
    const { view } = judged
    const why = whyNotAsRead(row, judged)
    if (why === null) await begin(row, view, judged)
    else {
      await parts.database.write((transaction) => giveBack(parts, transaction, row, why))
      parts.hub.emit('run', { change: row.number, steps: [] })
    }
  }
  const next = await ChangeRow.findOne({ where: { state: 'scheduled' }, order })
  return next?.dueAt ? Date.parse(next.dueAt) : null
}
