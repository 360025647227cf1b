/** Changes that wait for a lock: started once it is free, or given back where their plan has become another. */
import type { Draft } from '~/core/kinds'
import { ChangeRow, LockRow } from '../records/models'
import type { ChangesParts } from './parts'
import { giveBack, whyReturned } from './schedule'
import { covers, sitesIn, start } from './start'

export async function startWaiting(
  parts: ChangesParts,
  read: (row: ChangeRow) => Draft,
): Promise<void> {
  const rows = await ChangeRow.findAll({ where: { state: 'waiting' }, order: [['number', 'ASC']] })
  for (const row of rows) {
    const draft = read(row)
    const judged = await parts.judges.judge(row.kind, draft)
    const { view } = judged
    if (judged.plan && judged.digest === row.planDigest) {
      await start(parts, row, view, judged, row.accepted)
      continue
    }
    const siteOf = sitesIn(view)
    const { subjects } = judged
    const isHeld = (await LockRow.findAll()).some((lock) =>
      subjects.some(
        (subject) => covers(subject, lock.ref, siteOf) || covers(lock.ref, subject, siteOf),
      ),
    )
    if (isHeld) continue
    await parts.database.write((transaction) =>
      giveBack(parts, transaction, row, whyReturned(row, judged)),
    )
    parts.hub.emit('run', { change: row.number, steps: [] })
    if (row.parent) parts.runner.settled(row.number)
  }
}
