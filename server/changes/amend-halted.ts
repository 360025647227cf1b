/** A halted run that is amended in place. */
import { doneDifferently } from '../judging/run-remedies'
import type { ChangesParts } from './parts'
import { Op } from 'sequelize'
import { canonicalJson } from '~/core/changes'
import { type Draft } from '~/core/kinds'
import type { ChangeRow } from '../records/models'
import { ReservationRow, StepRow } from '../records/models'
import { changeId, writeJournal } from '../runner/journal'
import { isoClock } from '../runner/active'
import { Refusal } from './errors'
import { writeReservations, writeSteps } from './rows'

/** Writes a halted run’s steps anew by an amended draft, or says why it cannot go on so. What is done stays as it is. */
export async function amendHalted(parts: ChangesParts, row: ChangeRow, draft: Draft) {
  const id = changeId(row.number)
  const { plan: old } = row
  if (!old || row.direction === 'back')
    throw new Refusal('conflict', `${id} is being taken back; finish that first.`)
  const without = { plan: old, change: String(row.number) }
  const judged = await parts.judges.judge(row.kind, draft, undefined, without)
  const label = await parts.judges.label(row.kind, draft)
  const stop = judged.findings.find((finding) => finding.level === 'stop')
  if (stop || !judged.plan)
    throw new Refusal(
      'conflict',
      `Amended like this it could not run: ${stop?.says ?? 'it has no plan'}`,
      [],
      { findings: judged.findings },
    )
  const { plan } = judged
  const rows = await StepRow.findAll({ where: { change: row.number } })
  const stuck = doneDifferently(
    rows.filter((step) => step.state === 'done'),
    plan,
  )
  if (stuck)
    throw new Refusal(
      'conflict',
      `“${stuck.group}: ${stuck.says}” is done and would have to be done differently. Take the run back and draft it anew.`,
    )
  await parts.database.write(async (transaction) => {
    // The register is Gyrarch’s own: it is simply written again where the amendment changes it.
    const next = new Map(plan.steps.map((step) => [step.id, step]))
    const keep = new Set(
      rows
        .filter(
          (step) =>
            step.state === 'done' &&
            canonicalJson(next.get(step.id)?.command) === canonicalJson(step.command),
        )
        .map((step) => step.id),
    )
    await StepRow.destroy({
      where: { change: row.number, id: { [Op.notIn]: [...keep] } },
      transaction,
    })
    // Attempts go on counting: a key that was used once is answered with its first result for ever.
    const tried = new Map(rows.map((step) => [step.id, step.attempts]))
    await writeSteps(
      transaction,
      row.number,
      plan.steps.filter((step) => !keep.has(step.id)),
      plan.steps,
      tried,
    )
    await ReservationRow.destroy({ where: { change: row.number }, transaction })
    await writeReservations(transaction, row.number, plan)
    await row.update(
      {
        intent: draft.intent,
        label,
        version: row.version + 1,
        amendedAt: new Date(),
        plan,
        planDigest: judged.digest,
        findings: [...judged.findings],
      },
      { transaction },
    )
    await writeJournal(parts.hub, transaction, isoClock(parts.clock.now), [
      {
        kind: 'run.amended',
        change: row.number,
        says: `${label}: amended while halted; ${keep.size} done steps stay`,
        params: { label, stay: keep.size },
      },
    ])
  })
  await parts.runner.reload(row.number)
}
