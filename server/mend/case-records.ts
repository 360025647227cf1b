/** Cases as they are kept: opened, followed and closed in one transaction each, and told in the journal. */
import { Op } from 'sequelize'
import type { FleetView } from '~/core/fleet'
import type { Database } from '../records/database'
import { ChangeRow } from '../records/models'
import type { KnownTrouble } from '../judging/troubles'
import { changeId, type Line } from '../runner/journal'
import { CaseRow } from './case-row'
import { healedIn, kept } from './case-troubles'
import { isRun, runEnded } from './run-troubles'
import { said } from './says'

export const caseId = (number: number): string => `m-${number}`

interface RecordsParts {
  readonly database: Database
  readonly journal: (line: Line) => Promise<void>
}

export class CaseRecords {
  constructor(private readonly parts: RecordsParts) {}

  /** The open ones, the oldest first. */
  open(): Promise<CaseRow[]> {
    return CaseRow.findAll({ where: { state: 'open' }, order: [['number', 'ASC']] })
  }

  async opened(
    key: string,
    given: readonly KnownTrouble[],
    view: FleetView,
    openedBy: string,
  ): Promise<CaseRow> {
    const troubles = kept(given)
    const [first] = troubles
    if (!first) throw new Error('a case is about something')
    const since = troubles.flatMap((trouble) => trouble.since ?? []).toSorted()[0] ?? view.now
    const row = await this.parts.database.write((transaction) =>
      CaseRow.create(
        {
          state: 'open',
          key,
          cluster: first.cluster,
          cause: first.diagnosis.causes[0]?.cause ?? null,
          about: first.diagnosis.causes[0]?.about ?? first.subject,
          openedAt: view.now,
          since,
          closedAt: null,
          closedBy: null,
          openedBy,
          who: '',
          troubles,
          notes: [],
        },
        { transaction },
      ),
    )
    await this.parts.journal({
      kind: 'case.opened',
      ...aboutIn(view, first.cluster),
      ...said('case.opened', { id: caseId(row.number), symptom: first.diagnosis.symptom }),
    })
    return row
  }

  /** The same case as it is now; where its cause is another, that is noted. */
  async followed(
    row: CaseRow,
    key: string,
    given: readonly KnownTrouble[],
    view: FleetView,
  ): Promise<void> {
    const troubles = kept(given)
    const [first] = troubles
    const cause = first?.diagnosis.causes[0]
    if (key === row.key && JSON.stringify(troubles) === JSON.stringify(row.troubles)) return
    const healed = healedIn(row.troubles, troubles)
    const turned =
      healed.length > 0 && cause
        ? [
            {
              at: view.now,
              by: 'gyrarch',
              says: said('case.turned', { healed, next: cause.says }).says,
            },
          ]
        : []
    await this.parts.database.write((transaction) =>
      row.update(
        {
          key,
          troubles,
          cause: cause?.cause ?? null,
          about: cause?.about ?? first?.subject ?? row.about,
          notes: [...row.notes, ...turned],
        },
        { transaction },
      ),
    )
  }

  /** The symptom has gone: what was changed about it last is what closed it. */
  async closed(row: CaseRow, view: FleetView): Promise<void> {
    const subject = row.troubles[0]?.subject ?? ''
    const closedBy = isRun(subject) ? await runEnded(subject) : await this.whatEnded(row, view)
    await this.parts.database.write((transaction) =>
      row.update({ state: 'closed', closedAt: view.now, closedBy }, { transaction }),
    )
    await this.parts.journal({
      kind: 'case.closed',
      ...aboutIn(view, row.cluster),
      ...said('case.closed', { id: caseId(row.number), by: closedBy }),
    })
  }

  private async whatEnded(row: CaseRow, view: FleetView): Promise<string> {
    const changes = await ChangeRow.findAll({
      where: { state: 'done', endedAt: { [Op.gte]: row.openedAt, [Op.lte]: view.now } },
      order: [['endedAt', 'DESC']],
      limit: 100,
    })
    const site = view.clusters.find(({ name }) => name === row.cluster)?.site ?? ''
    const offered = row.troubles.flatMap(({ remedies }) =>
      remedies.flatMap(({ change }) => ('kind' in change ? [change.kind] : [])),
    )
    const near = changes.filter(({ intent }) => {
      const told = JSON.stringify(intent)
      return told.includes(`"${row.cluster}"`) || told.includes(`"${site}"`)
    })
    const change = near.find(({ kind }) => offered.includes(kind)) ?? near[0]
    return change
      ? said('case.healed-by', { change: changeId(change.number), title: change.kind }).says
      : said('case.healed-itself').says
  }
}

/** What a line about a case is filed under: its cluster, its site, or nothing. */
function aboutIn(view: FleetView, where: string): { readonly about?: string } {
  if (view.clusters.some(({ name }) => name === where)) return { about: `cluster/${where}` }
  return view.sites.some(({ name }) => name === where) ? { about: `site/${where}` } : {}
}
