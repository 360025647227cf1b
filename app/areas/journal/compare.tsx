/** Two moments of the fleet side by side: what differs, and who ran what in between. */
import { useState } from 'react'
import { useSearchParams } from 'react-router'
import { countText, durationText } from '~/core/units'
import { compared } from '~/server/history/compared'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { AskForm, Hidden } from '../../kit/ask-form'
import { Empty } from '../../kit/empty'
import { Field } from '../../kit/field'
import { Moment } from '../../kit/moment'
import { type Column, Table } from '../../kit/table/table'
import { RefLink } from '../../parts/ref-link'
import { To } from '../../parts/to'
import { clockText } from '../../parts/when'
import { orRefused } from '../refusals'
import type { Route } from './+types/compare'
import { shown } from './shown'
import { JournalTabs } from './tabs'

export const meta: Route.MetaFunction = () => [{ title: 'Two moments · Journal · Gyrarch' }]

const dayMs = 86_400_000

/** Back from now by so many hours: what is asked most. */
const backs = [
  ['an hour ago', 1],
  ['a day ago', 24],
  ['a week ago', 168],
] as const

const momentOf = (text: string | null, otherwise: number): string => {
  const at = Date.parse(text ?? '')
  return new Date(Number.isNaN(at) ? otherwise : at).toISOString().replace(/\.\d+Z$/, 'Z')
}

export async function loader({ request, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const search = new URL(request.url).searchParams
  const { now } = gyrarch.outside
  const asked = momentOf(search.get('from'), now - dayMs)
  const until = momentOf(search.get('until'), now)
  const about = search.get('about')?.trim().slice(0, 400) ?? ''
  const answer = gyrarch.history
    ? await orRefused(async () => ({
        ...(await compared(gyrarch, asked, until, about === '' ? null : about)),
        refused: null,
      }))
    : null
  const told = answer !== null && 'data' in answer ? answer.data : answer
  // What is before the history begins is compared from where it begins.
  return {
    from: told?.refused === null ? momentOf(told.from, now) : asked,
    until,
    about,
    now,
    told,
  }
}

interface Row {
  readonly key: string
  readonly about: string
  readonly field: string
  readonly before: string
  readonly after: string
}

const columns: readonly Column<Row>[] = [
  {
    name: 'about',
    value: (row) => row.about,
    show: (row) => <RefLink about={row.about}>{row.about}</RefLink>,
  },
  { name: 'field', value: (row) => row.field },
  { name: 'then', value: (row) => row.before, wraps: true },
  { name: 'later', value: (row) => row.after, wraps: true },
]

type Told = NonNullable<Route.ComponentProps['loaderData']['told']>

function Between({ told }: { readonly told: Extract<Told, { refused: null }> }) {
  const seconds = (Date.parse(told.until) - Date.parse(told.from)) / 1000
  return (
    <>
      <div>
        <h2>
          {countText(told.differences.length + told.more, 'thing differs', 'things differ')} over{' '}
          {durationText(seconds)}
        </h2>
        <ul className="facts">
          {[told.from, told.until].map((at) => (
            <li key={at}>
              <To path="/fleet" query={{ at }}>
                The fleet then
              </To>
              <span className="source">{clockText(at)}</span>
            </li>
          ))}
        </ul>
      </div>
      <div>
        <h3>What ran in between</h3>
        {told.changes.length === 0 ? (
          <p className="soft">No run of Gyrarch did anything: what differs came from outside.</p>
        ) : (
          <ul className="facts">
            {told.changes.map((run) => (
              <li key={run.id}>
                <To path={`/changes/${run.id}`}>{run.label}</To>
                <span className="source">
                  {run.by ?? 'unknown'}, {countText(run.steps, 'step')}
                </span>
              </li>
            ))}
          </ul>
        )}
      </div>
    </>
  )
}

function Ask({
  from,
  until,
  about,
}: Pick<Route.ComponentProps['loaderData'], 'from' | 'until' | 'about'>) {
  const [then, setThen] = useState(from)
  const [later, setLater] = useState(until)
  return (
    <AskForm label="Which moments" asks={['from', 'until', 'about']} verb="Compare">
      <Hidden name="from" value={then} />
      <Hidden name="until" value={later} />
      <Moment label="Then (UTC)" value={then} onChange={setThen} />
      <Moment label="Later (UTC)" value={later} onChange={setLater} />
      <Field
        name="about"
        label="About, or all"
        defaultValue={about}
        placeholder="cluster/cedar"
        width={200}
      />
    </AskForm>
  )
}

export default function Compare({ loaderData }: Route.ComponentProps) {
  const { told, from, until, about, now } = loaderData
  const [search] = useSearchParams()
  const keep = Object.fromEntries(search)
  const isTold = told !== null && told.refused === null
  const rows = isTold
    ? told.differences.map((difference, index) => ({
        key: `${difference.slice} ${index}`,
        about: difference.about,
        field: difference.field,
        before: shown(difference.before),
        after: shown(difference.after),
      }))
    : []
  return (
    <Page
      title="Two moments"
      beside={
        <span className="picker" role="group" aria-label="How far back">
          {backs.map(([says, hours]) => (
            <To
              key={says}
              path="/journal/compare"
              query={{
                ...keep,
                from: momentOf(null, now - hours * 3_600_000),
                until: momentOf(null, now),
              }}
            >
              {says}
            </To>
          ))}
        </span>
      }
      reason={isTold ? <Between told={told} /> : null}
    >
      <JournalTabs here="/journal/compare" />
      <Ask key={search.toString()} from={from} until={until} about={about} />
      <p className="soft">Between them</p>
      {rows.length === 0 ? (
        <Empty title={told?.refused ? 'Not known' : 'Nothing differs'}>
          {told?.refused ?? 'Everything that was observed was the same at both moments.'}
        </Empty>
      ) : (
        <Table
          name="compared"
          columns={columns}
          rows={rows}
          id={(row) => row.key}
          empty="Nothing answers to this."
        />
      )}
    </Page>
  )
}
