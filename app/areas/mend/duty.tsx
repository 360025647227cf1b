/** For whoever is called: what is broken now, since when, by which cause, who is on it and what runs. */
import { redirect } from 'react-router'
import { countText, durationText, listText } from '~/core/units'
import { caseBody } from '~/server/api/cases'
import { caseId } from '~/server/mend/case-records'
import { caseSummary } from '~/server/mend/case-told'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { Empty } from '../../kit/empty'
import { Cell, PlainTable, Row } from '../../kit/plain-table'
import { StateGlyph } from '../../parts/state'
import { To } from '../../parts/to'
import { Ago } from '../../parts/when'
import { askedJson } from '../asked'
import { orRefused } from '../refusals'
import { MendTabs } from './tabs'
import type { Route } from './+types/duty'
import './mend.css'

export const meta: Route.MetaFunction = () => [{ title: 'Mend · Gyrarch' }]

export async function action({ request, context }: Route.ActionArgs) {
  const gyrarch = context.get(gyrarchContext)
  return orRefused(async () => {
    const { cluster, about } = await askedJson(request, caseBody)
    const row = await gyrarch.cases.openFor(cluster, about, 'person')
    throw redirect(`/mend/${caseId(row.number)}`)
  })
}

const active = ['running', 'undoing', 'halted', 'waiting'] as const

export async function loader({ context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const cases = (await gyrarch.cases.list()).map(caseSummary)
  const runs = await gyrarch.changes.list({ states: active, limit: 20, ownOnly: true })
  return {
    now: new Date(gyrarch.outside.now).toISOString(),
    cases,
    runs: runs.map(({ number, label, state }) => ({ id: `c-${number}`, label, state })),
  }
}

type Shown = Awaited<ReturnType<typeof loader>>['cases'][number]

/** A node that is short of something still works. */
const strainedBy: ReadonlySet<string> = new Set(['memory-short', 'disk-full', 'pids-short'])

const nameOf = (ref: string): string => ref.split('/').at(-1) ?? ref

function Open({ entry, now }: { readonly entry: Shown; readonly now: string }) {
  const lasts = (Date.parse(now) - Date.parse(entry.since)) / 1000
  const many = entry.subjects.length
  return (
    <li>
      <StateGlyph state={strainedBy.has(entry.cause ?? '') ? 'strained' : 'broken'} />
      <span>
        <To path={`/mend/${entry.id}`}>{entry.says === '' ? entry.symptom : entry.says}</To>
      </span>
      <span className="since nowrap">for {durationText(Math.max(0, lasts))}</span>
      <span className="more">
        {entry.cluster} · {listText(entry.subjects.map(nameOf), 4)}
        {many > 1 ? ` · one cause for ${countText(many, 'symptom')}` : ''}
        {entry.who === '' ? '' : ` · ${entry.who} is on it`}
      </span>
    </li>
  )
}

function Closed({ rows, now }: { readonly rows: readonly Shown[]; readonly now: string }) {
  return (
    <PlainTable label="Closed cases" heads={['case', 'what it was', 'cluster', 'closed', 'by']}>
      {rows.map((entry) => (
        <Row key={entry.id}>
          <Cell>
            <To path={`/mend/${entry.id}`} className="mono">
              {entry.id}
            </To>
          </Cell>
          <Cell>{entry.says === '' ? entry.symptom : entry.says}</Cell>
          <Cell>{entry.cluster}</Cell>
          <Cell>{entry.closedAt === null ? '' : <Ago at={entry.closedAt} now={now} />}</Cell>
          <Cell>{entry.closedBy}</Cell>
        </Row>
      ))}
    </PlainTable>
  )
}

export default function Duty({ loaderData }: Route.ComponentProps) {
  const { cases, runs, now } = loaderData
  const open = cases.filter(({ state }) => state === 'open')
  const closed = cases.filter(({ state }) => state === 'closed').slice(0, 30)
  const clusters = new Set(open.map(({ cluster }) => cluster))
  return (
    <Page
      title="Mend"
      beside={<MendTabs here="/mend" />}
      reason={
        <div>
          <h2>
            <StateGlyph state={open.length === 0 ? 'well' : 'broken'} />{' '}
            {open.length === 0 ? 'Nothing is broken' : countText(open.length, 'case')}
          </h2>
          <p className="soft">
            {open.length === 0
              ? 'Every node is ready, every pod runs, and nothing speaks for a cause.'
              : `In ${listText([...clusters], 5)}. Cases open by themselves for what lasts longer than a minute, and close when it has gone.`}
          </p>
        </div>
      }
    >
      <div className="mend-page">
        {open.length === 0 ? (
          <Empty title="Nothing is broken now">
            A case opens by itself when something has not been as it should for longer than a
            minute. Practise with a drill meanwhile.
          </Empty>
        ) : (
          <ul className="duty-list" aria-label="Open cases">
            {open.map((entry) => (
              <Open key={entry.id} entry={entry} now={now} />
            ))}
          </ul>
        )}
        {runs.length === 0 ? null : (
          <>
            <h2>What runs</h2>
            <ul className="facts">
              {runs.map((run) => (
                <li key={run.id}>
                  <To path={`/changes/${run.id}`}>{run.label}</To>
                  <span className="source">{run.state}</span>
                </li>
              ))}
            </ul>
          </>
        )}
        {closed.length === 0 ? null : (
          <>
            <h2>Closed</h2>
            <Closed rows={closed} now={now} />
          </>
        )}
      </div>
    </Page>
  )
}
