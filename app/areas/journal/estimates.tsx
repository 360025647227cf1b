/** How well estimates did: what was foreseen of each kind of work, what it took, and what the next plans say. */
import { fewestRuns } from '~/core/estimates'
import { countText, durationText } from '~/core/units'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { type Column, Table } from '../../kit/table/table'
import type { Accuracy } from '~/server/estimates/observed-times'
import type { Route } from './+types/estimates'
import { JournalTabs } from './tabs'

export const meta: Route.MetaFunction = () => [{ title: 'Estimates · Journal · Gyrarch' }]

export async function loader({ context }: Route.LoaderArgs) {
  return { rows: await context.get(gyrarchContext).times.accuracy() }
}

const percent = (part: number): string => `${Math.round(100 * part)} %`

const columns: readonly Column<Accuracy>[] = [
  {
    name: 'work',
    value: (row) => row.verb,
    show: (row) => <span className="mono">{row.verb}</span>,
  },
  {
    name: 'site',
    value: (row) => row.site,
    show: (row) => <span className="mono">{row.site}</span>,
  },
  {
    name: 'size',
    value: (row) => row.size,
    show: (row) => <span className="mono">{row.size}</span>,
  },
  { name: 'runs', value: (row) => row.runs, number: true },
  {
    name: 'foreseen',
    value: (row) => row.predicted,
    show: (row) => durationText(row.predicted),
    number: true,
  },
  { name: 'took', value: (row) => row.took, show: (row) => durationText(row.took), number: true },
  { name: 'off by', value: (row) => row.miss, show: (row) => percent(row.miss), number: true },
  {
    name: 'within worst',
    value: (row) => row.within,
    show: (row) => percent(row.within),
    number: true,
  },
  {
    name: 'next time',
    value: (row) => row.next?.likely ?? 0,
    show: (row) =>
      row.next === null || row.runs < fewestRuns
        ? 'as usual'
        : `${durationText(row.next.likely)}, worst ${durationText(row.next.worst)}`,
  },
]

export default function Estimates({ loaderData }: Route.ComponentProps) {
  const { rows } = loaderData
  const samples = rows.reduce((sum, row) => sum + row.samples, 0)
  const mean = (of: (row: Accuracy) => number): number =>
    samples === 0 ? 0 : rows.reduce((sum, row) => sum + of(row) * row.samples, 0) / samples
  return (
    <Page
      title="Estimates"
      beside={<span className="soft">what was foreseen, and what it took</span>}
      reason={
        samples === 0 ? (
          <>
            <h2>Nothing observed yet</h2>
            <p className="soft">
              Every step that ends well at its first attempt is kept with what was foreseen.
            </p>
          </>
        ) : (
          <>
            <h2>Off by {percent(mean((row) => row.miss))} on average</h2>
            <dl className="facts">
              <div>
                <dt>steps observed</dt>
                <dd>{samples}</dd>
              </div>
              <div>
                <dt>ended within the worst</dt>
                <dd>{percent(mean((row) => row.within))}</dd>
              </div>
            </dl>
            <p className="soft">
              Likely is the median, worst the 95th percentile of the last steps of the same work,
              site and size, once {countText(fewestRuns, 'run')} have done it.
            </p>
          </>
        )
      }
    >
      <JournalTabs here="/journal/estimates" />
      <Table
        name="estimates"
        columns={columns}
        rows={rows}
        id={(row) => `${row.verb} ${row.site} ${row.size}`}
        empty="Nothing was observed yet. Run something: how long it takes is kept."
      />
    </Page>
  )
}
