/** Drafts that begin to run: what they lock, reserve and write; or their place in the queue. */
import type { Judged } from './judge'
import type { ChangesParts } from './parts'
import type { FleetView } from '~/core/fleet'
import { type Draft } from '~/core/kinds'
import type { ChangeRow } from '../records/models'
import { LockRow } from '../records/models'
import { changeId, writeJournal } from '../runner/journal'
import { isoClock } from '../runner/active'
import { writeReservations, writeSteps } from './rows'
import { countText } from '../../core/units'

/** `cluster/a` covers itself and everything below it, as does any ref in the same way. */
export const covers = (outer: string, inner: string): boolean =>
  outer === inner || below(outer, inner)

const below = (outer: string, inner: string): boolean => {
  const [kind, ...path] = outer.split('/')
  const [, ...innerPath] = inner.split('/')
  return (
    (kind === 'cluster' || kind === 'site') &&
    path.length === 1 &&
    innerPath.length > 1 &&
    innerPath[0] === path[0]
  )
}

/** Locks, reservations and steps in one transaction; or, if a lock is taken, a place in the queue. */
export async function start(
  parts: ChangesParts,
  row: ChangeRow,
  draft: Draft,
  view: FleetView,
  judged: Judged,
  accepted: string[],
): Promise<void> {
  const { plan } = judged
  if (!plan) return
  const subjects = [...draft.subjects(view)].sort()
  const started = await parts.database.write(async (transaction) => {
    const held = await LockRow.findAll({ transaction })
    const clash = held.find((lock) =>
      subjects.some((subject) => covers(subject, lock.ref) || covers(lock.ref, subject)),
    )
    const common = {
      accepted,
      findings: [...judged.findings],
      plan,
      planDigest: judged.digest,
      subjects,
      direction: 'on' as const,
    }
    if (clash) {
      await row.update(
        { ...common, state: 'waiting', waitsFor: changeId(clash.change) },
        { transaction },
      )
      await writeJournal(parts.hub, transaction, isoClock(parts.clock.now), [
        {
          kind: 'run.waiting',
          change: row.number,
          about: clash.ref,
          says: `${row.label} waits: ${changeId(clash.change)} is at work on ${clash.ref}`,
        },
      ])
      return false
    }
    await LockRow.bulkCreate(
      subjects.map((ref) => ({ ref, change: row.number })),
      { transaction },
    )
    await writeReservations(transaction, row.number, plan)
    await writeSteps(transaction, row.number, plan.steps, plan.steps)
    await row.update(
      {
        ...common,
        state: 'running',
        waitsFor: null,
        startedAt: isoClock(parts.clock.now),
        endedAt: null,
        cause: null,
      },
      { transaction },
    )
    await writeJournal(parts.hub, transaction, isoClock(parts.clock.now), [
      {
        kind: 'run.started',
        change: row.number,
        says: `${row.label}: running, ${countText(plan.steps.length, 'step')}`,
      },
    ])
    return true
  })
  if (started) await parts.runner.begin(row.number)
  else parts.hub.emit('run', { change: row.number, steps: [] })
}
