/** Runs that have halted, as troubles: what failed, down to its lowest link, and what gets the run past it. */
import type { Link } from '~/core/diagnosis'
import type { Changes, ChangeRecord } from '../changes/changes'
import type { KnownTrouble } from '../judging/troubles'
import { ChangeRow } from '../records/models'
import { changeId } from '../runner/journal'
import type { CaseRow } from './case-row'
import { said } from './says'

const prefix = 'run/'
export const isRun = (subject: string): boolean => subject.startsWith(prefix)
export const runOf = (subject: string): string => subject.slice(prefix.length)

/** The cluster or else the site that a run is about, by what it locks. */
function whereOf(subjects: readonly string[], site: string | null): string {
  const cluster = subjects.find((subject) => subject.startsWith('cluster/'))
  const pool = subjects.find((subject) => /^(?:pool|node)\//.test(subject))
  return (cluster ?? pool)?.split('/')[1] ?? site ?? ''
}

/** Which of its steps a halted run stands at. */
const failedSteps = (run: ChangeRecord) => run.steps.filter((step) => step.state === 'failed')

function troubleOf(row: ChangeRow, run: ChangeRecord): KnownTrouble | null {
  const failed = failedSteps(run)
  const cause = row.cause ?? failed.find((step) => step.cause)?.cause ?? null
  const subject = `${prefix}${run.id}`
  const cluster = whereOf(row.subjects ?? [], row.site)
  const chain: readonly Link[] = (cause?.chain ?? []).map(({ about, says }) => ({ about, says }))
  const about = chain[0]?.about ?? subject
  const code = cause?.reason ?? 'failed'
  return {
    cluster,
    subject,
    key: `${code} ${subject}`,
    since: failed.flatMap(({ endedAt }) => endedAt ?? []).toSorted()[0] ?? null,
    remedies: run.remedies.map(({ says, change, goesOn }) => ({
      says,
      because: said('run.goes-on', { goesOn }).says,
      change,
    })),
    diagnosis: {
      symptom: said('run.halted', {
        id: run.id,
        label: run.label,
        direction: row.direction,
      }).says,
      causes: [
        {
          cause: code,
          about,
          share: 1,
          says: cause?.says ?? failed[0]?.says ?? '',
          chain,
          because: failed.flatMap((step) => [
            { type: 'status' as const, about: subject, at: step.endedAt, text: step.says },
            ...step.evidence.slice(-6).map(({ at, says }) => ({
              type: 'log' as const,
              about: `step/${step.id}`,
              at,
              text: says,
            })),
          ]),
          remedies: [],
        },
      ],
      ruledOut: [],
      next: null,
    },
  }
}

/** The halted runs now; those with an open case stay while they are tried again or taken back. */
export class RunTroubles {
  /** A run that stands as it did is not asked for its remedies again. */
  private readonly told = new Map<number, { readonly key: string; trouble: KnownTrouble | null }>()

  constructor(private readonly changes: Pick<Changes, 'get'>) {}

  async now(open: readonly CaseRow[]): Promise<readonly KnownTrouble[]> {
    const rows = await ChangeRow.findAll({
      // A set stands still with one of its members: that is told of the member.
      where: { state: ['halted', 'running', 'undoing'], members: null },
      order: [['number', 'ASC']],
      attributes: { exclude: ['plan', 'findings', 'proof'] },
    })
    const troubles: KnownTrouble[] = []
    for (const row of rows) {
      const subject = `${prefix}${changeId(row.number)}`
      const before = open
        .flatMap((entry) => entry.troubles)
        .find((trouble) => trouble.subject === subject)
      if (row.state === 'halted') {
        const trouble = await this.halted(row)
        if (trouble) troubles.push(trouble)
      } else if (before) troubles.push(before)
    }
    for (const number of this.told.keys())
      if (!rows.some((row) => row.number === number)) this.told.delete(number)
    return troubles
  }

  private async halted(row: ChangeRow): Promise<KnownTrouble | null> {
    const key = JSON.stringify([row.version, row.direction, row.cause])
    const before = this.told.get(row.number)
    if (before?.key === key) return before.trouble
    const trouble = troubleOf(row, await this.changes.get(changeId(row.number)))
    this.told.set(row.number, { key, trouble })
    return trouble
  }
}

/** What became of a run that had halted, as what closed its case. */
export async function runEnded(subject: string): Promise<string> {
  const row = await ChangeRow.findByPk(Number(/\d+$/.exec(subject)?.[0] ?? -1), {
    attributes: ['number', 'state', 'label'],
  })
  return said('run.ended', { id: runOf(subject), state: row?.state ?? 'gone' }).says
}
