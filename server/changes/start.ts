/** Drafts that begin to run: what they lock, reserve and write; or their place in the queue. */
import type { Judged } from '../judging/judge'
import type { ChangesParts } from './parts'
import type { FleetView } from '~/core/fleet'
import type { Transaction } from 'sequelize'
import { ChangeRow, LockRow } from '../records/models'
import { changeId, writeJournal } from '../runner/journal'
import { isoClock } from '../runner/active'
import { writeReservations, writeSteps } from './rows'
import { countText } from '../../core/units'

/** A cluster covers itself and everything in it; a site what stands there, its clusters among that. */
export const covers = (
  outer: string,
  inner: string,
  siteOf: (cluster: string) => string | undefined = () => undefined,
): boolean => outer === inner || below(outer, inner) || isAtSite(outer, inner, siteOf)

/** Whether a ref is that of a cluster, or of something in one, at the site of another ref. */
function isAtSite(
  outer: string,
  inner: string,
  siteOf: (cluster: string) => string | undefined,
): boolean {
  const [kind, site, ...more] = outer.split('/')
  if (kind !== 'site' || more.length > 0) return false
  const [, cluster] = inner.split('/')
  return cluster !== undefined && siteOf(cluster) === site
}

/** Where each cluster of a view stands. */
export const sitesIn = (view: FleetView): ((cluster: string) => string | undefined) => {
  const sites = new Map(view.clusters.map(({ name, site }) => [name, site]))
  return (cluster) => sites.get(cluster)
}

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

/** The halted run under whose lock a remedy of it may run; null once that has gone on. */
async function haltedUnder(row: ChangeRow, transaction: Transaction): Promise<number | null> {
  if (!row.under) return null
  const halted = await ChangeRow.findByPk(row.under, { transaction, attributes: ['state'] })
  return halted?.state === 'halted' ? row.under : null
}

/** Locks, reservations and steps in one transaction; or, if a lock is taken, a place in the queue. */
export async function start(
  parts: ChangesParts,
  row: ChangeRow,
  view: FleetView,
  judged: Judged,
  accepted: string[],
): Promise<void> {
  const { plan } = judged
  if (!plan) return
  const subjects = [...judged.subjects].sort()
  const started = await parts.database.write(async (transaction) => {
    const held = await LockRow.findAll({ transaction })
    const under = await haltedUnder(row, transaction)
    const siteOf = sitesIn(view)
    const clash = held.find(
      (lock) =>
        lock.change !== under &&
        subjects.some(
          (subject) => covers(subject, lock.ref, siteOf) || covers(lock.ref, subject, siteOf),
        ),
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
          params: { label: row.label, waitsFor: changeId(clash.change), ref: clash.ref },
          says: `${row.label} waits: ${changeId(clash.change)} is at work on ${clash.ref}`,
        },
      ])
      return false
    }
    await LockRow.bulkCreate(
      subjects
        // What the halted run holds it goes on holding.
        .filter((ref) => !held.some((lock) => lock.ref === ref))
        .map((ref) => ({ ref, change: row.number })),
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
        returned: null,
      },
      { transaction },
    )
    await writeJournal(parts.hub, transaction, isoClock(parts.clock.now), [
      {
        kind: 'run.started',
        change: row.number,
        params: { label: row.label, steps: plan.steps.length },
        says: `${row.label}: running, ${countText(plan.steps.length, 'step')}`,
      },
    ])
    return true
  })
  if (started) await parts.runner.begin(row.number)
  else parts.hub.emit('run', { change: row.number, steps: [] })
}
