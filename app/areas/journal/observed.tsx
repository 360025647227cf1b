/** What was observed of something: when it changed and how, since when it is in its state, and what ran then. */
import { useSearchParams } from 'react-router'
import { runsBetween, stateQuestion } from '~/server/history/questions'
import type { History } from '~/server/history/history'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { AskForm } from '../../kit/ask-form'
import { Empty } from '../../kit/empty'
import { Field } from '../../kit/field'
import { type Column, Table } from '../../kit/table/table'
import { RefLink } from '../../parts/ref-link'
import { To } from '../../parts/to'
import { Ago, clockText } from '../../parts/when'
import { bytesText, countText } from '~/core/units'
import { orNotFound } from '../refusals'
import type { Route } from './+types/observed'
import { shown } from './shown'
import { JournalTabs } from './tabs'

export const meta: Route.MetaFunction = () => [{ title: 'Observed · Journal · Gyrarch' }]

const hourMs = 3_600_000
const spans = [
  ['hour', hourMs],
  ['day', 24 * hourMs],
  ['week', 7 * 24 * hourMs],
  ['all', Infinity],
] as const
/** So many versions are read for a page, and so many differences are shown. */
const mostVersions = 300
const mostShown = 600
/** Kinds of things that have a state. */
const withState = ['site', 'cluster', 'pool', 'node']

interface Row {
  readonly key: string
  readonly at: string
  readonly about: string
  readonly field: string
  readonly before: string
  readonly after: string
}

export async function loader({ request, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const search = new URL(request.url).searchParams
  const about = search.get('about')?.trim().slice(0, 400) ?? ''
  const span = spans.find(([name]) => name === search.get('span')) ?? spans[1]
  const now = new Date(gyrarch.outside.now).toISOString()
  const { history } = gyrarch
  if (!history)
    return { about, span: span[0], now, rows: [], extent: null, since: null, more: false }
  const asked = Date.parse(search.get('until') ?? '')
  const until = Number.isNaN(asked) ? gyrarch.outside.now : asked
  const from = span[1] === Infinity ? 0 : until - span[1]
  const { versions, next } = await history.observed(
    about === '' ? null : about,
    from,
    until,
    mostVersions,
  )
  const rows = versions
    .flatMap((version): readonly Row[] => {
      const key = `${version.slice} ${version.version}`
      if (version.state !== 'known')
        return [
          {
            key,
            at: version.at,
            about: version.slice,
            field: '',
            before: '',
            after: version.state === 'gone' ? 'not there any more' : 'did not answer',
          },
        ]
      return (version.differences ?? []).map((difference, index) => ({
        key: `${key} ${index}`,
        at: version.at,
        about: difference.about,
        field: difference.field,
        before: shown(difference.before),
        after: shown(difference.after),
      }))
    })
    .reverse()
  return {
    about,
    span: span[0],
    now,
    rows: rows.slice(0, mostShown),
    extent: await history.extent(),
    since: await sinceOf(history, about),
    more: next !== null || rows.length > mostShown,
  }
}

async function sinceOf(history: History, about: string) {
  if (!withState.includes(about.split('/')[0] ?? '')) return null
  const since = await orNotFound(async () =>
    history.since(stateQuestion(about, await history.slicesOf(about))),
  )
  if (!since || since.is === 'not there') return null
  const { is, was, before } = since
  return {
    is,
    was,
    at: since.since,
    before,
    runs: await runsBetween(before, since.since),
    differences: since.differences
      .filter((difference) => difference.about === about)
      .slice(0, 8)
      .map(({ field, before, after }) => ({ field, before: shown(before), after: shown(after) })),
  }
}

const columns: readonly Column<Row>[] = [
  {
    name: 'at',
    value: (row) => row.at,
    show: (row) => (
      <To path="/fleet" query={{ at: row.at }} className="mono nowrap">
        {clockText(row.at)}
      </To>
    ),
  },
  {
    name: 'about',
    value: (row) => row.about,
    show: (row) => <RefLink about={row.about}>{row.about}</RefLink>,
  },
  { name: 'field', value: (row) => row.field, wraps: true },
  { name: 'was', value: (row) => row.before, wraps: true },
  { name: 'is', value: (row) => row.after, wraps: true },
]

type Since = NonNullable<Route.ComponentProps['loaderData']['since']>

function SinceWhen({ since, now }: { readonly since: Since; readonly now: string }) {
  return (
    <>
      <div>
        <h2>
          {since.was === null
            ? `${since.is} as far back as is known`
            : `${since.is} since ${clockText(since.at)}`}
        </h2>
        <p className="soft">
          {since.was === null ? (
            <>It was never seen otherwise.</>
          ) : (
            <>
              It was {since.was} when it was looked at before, and turned{' '}
              <Ago at={since.at} now={now} />.
            </>
          )}
        </p>
      </div>
      {since.differences.length === 0 ? null : (
        <div>
          <h3>What turned with it</h3>
          <ul className="facts">
            {since.differences.map(({ field, before, after }) => (
              <li key={`${field} ${after}`} style={{ display: 'block', overflowWrap: 'anywhere' }}>
                <div>{field === '' ? 'itself' : field}</div>
                <div className="source">
                  {before} → {after}
                </div>
              </li>
            ))}
          </ul>
        </div>
      )}
      {since.before === null ? null : (
        <div>
          <h3>What ran then</h3>
          {since.runs.length === 0 ? (
            <p className="soft">No run of Gyrarch did anything between the two looks.</p>
          ) : (
            <ul className="facts">
              {since.runs.map((run) => (
                <li key={run.id}>
                  <To path={`/changes/${run.id}`}>{run.label}</To>
                  <span className="source">{countText(run.steps, 'step')} then</span>
                </li>
              ))}
            </ul>
          )}
          <p style={{ marginTop: 8 }}>
            <To path="/fleet" query={{ at: since.before }}>
              The fleet just before
            </To>
          </p>
        </div>
      )}
    </>
  )
}

function Kept({ extent }: { readonly extent: Route.ComponentProps['loaderData']['extent'] }) {
  return (
    <div>
      <h3>What is kept</h3>
      {extent === null || extent.begins === null ? (
        <p className="soft">Nothing yet.</p>
      ) : (
        <p className="soft">
          {countText(extent.versions, 'version')} since{' '}
          {clockText(extent.begins, { year: true, seconds: false })} UTC, {bytesText(extent.bytes)}{' '}
          of {bytesText(extent.mostBytes)}. When room is short, what is older than a week is kept by
          the hour, and after 90 days by the day.
        </p>
      )}
    </div>
  )
}

export default function Observed({ loaderData }: Route.ComponentProps) {
  const { about, span, rows, extent, since, now, more } = loaderData
  const [search] = useSearchParams()
  const keep = Object.fromEntries(search)
  return (
    <Page
      title="Observed"
      beside={
        <>
          <span className="picker" role="group" aria-label="How far back">
            {spans.map(([name]) => (
              <To
                key={name}
                path="/journal/observed"
                query={{ ...keep, span: name }}
                aria-current={name === span}
              >
                {name}
              </To>
            ))}
          </span>
          <AskForm label="What it is about" asks={['about']} drops={['until']}>
            <Field
              key={about}
              name="about"
              label="About"
              hideLabel
              defaultValue={about}
              placeholder="node/cedar/cedar-general-2"
              width={260}
            />
          </AskForm>
        </>
      }
      reason={
        <>
          {since ? <SinceWhen since={since} now={now} /> : null}
          <Kept extent={extent} />
        </>
      }
    >
      <JournalTabs here="/journal/observed" />
      {rows.length === 0 ? (
        <Empty title="Nothing changed">
          {about === ''
            ? 'In this time nothing was seen to change.'
            : `In this time nothing was seen to change about ${about}. Take a longer time, or another ref.`}
        </Empty>
      ) : (
        <>
          {more ? (
            <p className="soft">
              Not all of it is shown. Take a shorter time, or say what it is about.
            </p>
          ) : null}
          <Table
            name="observed"
            columns={columns}
            rows={rows}
            id={(row) => row.key}
            empty="Nothing answers to this."
          />
        </>
      )}
    </Page>
  )
}
