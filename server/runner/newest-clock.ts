/** The newest time of the stand-ins’ clock that anything in the records bears. */
import { ChangeRow, JournalRow, StepRow } from '../records/models'

/** The newest clock time in the records, in milliseconds. */
export async function newestClock(): Promise<number> {
  const line = await JournalRow.max<string, JournalRow>('at')
  const started = await ChangeRow.max<string, ChangeRow>('startedAt')
  const step = await StepRow.max<string, StepRow>('startedAt', { where: { onTheWall: false } })
  return Math.max(
    0,
    ...[line, started, step]
      .filter((at): at is string => typeof at === 'string')
      .map((at) => Date.parse(at)),
  )
}
