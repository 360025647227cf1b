/** Everything that was decided or happened, newest first, filtered and searched, each line with its address. */
import { useSearchParams } from 'react-router'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { type Column, Table } from '../../kit/table/table'
import { To } from '../../parts/to'
import { clockText } from '../../parts/when'
import type { JournalEntry } from '~/server/live/hub'
import type { Route } from './+types/journal'
import { AskForm } from '../../kit/ask-form'
import { Field } from '../../kit/field'
import { JournalTabs } from './tabs'

export const meta: Route.MetaFunction = () => [{ title: 'Journal · Gyrarch' }]

const pageSize = 300
const kindsShown = ['run', 'step', 'change', 'fault', 'access'] as const

export async function loader({ request, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const search = new URL(request.url).searchParams
  const kind = kindsShown.find((name) => name === search.get('kind'))
  const before = /^\d{1,12}$/.test(search.get('before') ?? '')
    ? Number(search.get('before'))
    : undefined
  const change = /^c-(\d{1,12})$/.exec(search.get('change') ?? '')?.[1]
  const text = search.get('text')?.trim().slice(0, 200)
  const lines = await gyrarch.journal({
    kind: kind === undefined ? undefined : `${kind}.`,
    before,
    change: change === undefined ? undefined : Number(change),
    text: text === '' ? undefined : text,
    limit: pageSize,
  })
  return {
    lines,
    kind: kind ?? null,
    older: lines.length === pageSize ? (lines.at(-1)?.seq ?? null) : null,
    now: new Date(gyrarch.outside.now).toISOString(),
  }
}

const columns: readonly Column<JournalEntry>[] = [
  {
    name: 'line',
    value: (line) => line.seq,
    show: (line) => (
      <To path={`/journal/${line.seq}`} className="mono">
        {line.seq}
      </To>
    ),
    number: true,
  },
  {
    name: 'at',
    value: (line) => line.at,
    show: (line) => <span className="mono">{clockText(line.at)}</span>,
  },
  {
    name: 'kind',
    value: (line) => line.kind,
    show: (line) => <span className="mono">{line.kind}</span>,
  },
  {
    name: 'change',
    value: (line) => line.change ?? '',
    show: (line) =>
      line.change === null ? (
        ''
      ) : (
        <To path={`/changes/${line.change}`} className="mono">
          {line.change}
        </To>
      ),
  },
  {
    name: 'by',
    value: (line) => line.by,
    show: (line) => <span className="nowrap">{line.by}</span>,
  },
  { name: 'what', value: (line) => line.says, wraps: true },
]

export default function Journal({ loaderData }: Route.ComponentProps) {
  const { lines, kind, older } = loaderData
  const [search] = useSearchParams()
  const keep = Object.fromEntries(search)
  return (
    <Page
      title="Journal"
      beside={
        <>
          <span className="picker" role="group" aria-label="Kind of line">
            <To
              path="/journal"
              query={{ ...keep, kind: null, before: null }}
              aria-current={kind === null}
            >
              all
            </To>
            {kindsShown.map((name) => (
              <To
                key={name}
                path="/journal"
                query={{ ...keep, kind: name, before: null }}
                aria-current={name === kind}
              >
                {name}
              </To>
            ))}
          </span>
          <AskForm label="Search the journal" asks={['text']} drops={['before']}>
            <Field
              key={search.get('text') ?? ''}
              name="text"
              label="Search the whole journal"
              hideLabel
              defaultValue={search.get('text') ?? ''}
              placeholder="Search all of it"
              width={200}
            />
          </AskForm>
        </>
      }
      reason={
        <>
          <h2>{lines.length === 0 ? 'Nothing yet' : 'Lines'}</h2>
          <p className="soft">
            Times are those of the stand-ins’ clock, UTC. Every line has an address of its own for a
            ticket.
          </p>
          {older === null ? null : (
            <p>
              <To path="/journal" query={{ ...keep, before: String(older) }}>
                Older than line {older}
              </To>
            </p>
          )}
          {search.has('before') ? (
            <p>
              <To path="/journal" query={{ ...keep, before: null }}>
                Back to the newest
              </To>
            </p>
          ) : null}
        </>
      }
    >
      <JournalTabs here="/journal" />
      <Table
        name="journal"
        columns={columns}
        rows={lines}
        id={(line) => String(line.seq)}
        empty="No line answers to this. What you draft and run will be written here."
      />
    </Page>
  )
}
