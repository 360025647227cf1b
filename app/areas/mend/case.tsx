/** A case: its chain from cause to symptom, what was seen and when, what it could be, and what is proven to help. */
import Button from '@mui/material/Button'
import { useState } from 'react'
import { useFetcher } from 'react-router'
import { z } from 'zod'
import { countText, durationText } from '~/core/units'
import { caseTold, type CaseTold, evidenceOf, type Seen } from '~/server/mend/case-told'
import { gyrarchContext } from '../../context'
import { CauseChain } from '../../drawings/cause-chain'
import { Tracks } from '../../drawings/tracks'
import type { Track } from '../../drawings/tracks-layout'
import { Page } from '../../frame/page'
import { Field } from '../../kit/field'
import { SchemaForm, TextAt, useSchemaForm } from '../../kit/form'
import { Refused } from '../../kit/notice'
import { Cell, PlainTable, Row } from '../../kit/plain-table'
import { DraftChange } from '../../parts/draft-change'
import { StateGlyph } from '../../parts/state'
import { To } from '../../parts/to'
import { clockText, timeText } from '../../parts/when'
import { orNotFound, orRefused } from '../refusals'
import type { Route } from './+types/case'
import './mend.css'

export const meta: Route.MetaFunction = ({ params }) => [
  { title: `Case ${params.id} · Mend · Gyrarch` },
]

export async function loader({ params, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const told = await orNotFound(() => caseTold(gyrarch, params.id))
  const row = await orNotFound(() => gyrarch.cases.read(params.id))
  return {
    told,
    seen: await evidenceOf(gyrarch, row),
    now: new Date(gyrarch.outside.now).toISOString(),
  }
}

const written = z.object({
  who: z.string().max(200).optional(),
  note: z.string().max(10_000).optional(),
})

export async function action({ request, params, context }: Route.ActionArgs) {
  const gyrarch = context.get(gyrarchContext)
  const { who, note } = written.parse(await request.json())
  return orRefused(async () => {
    await gyrarch.cases.write(
      params.id,
      {
        ...(who === undefined ? {} : { who }),
        ...(note === undefined || note.trim() === '' ? {} : { note: note.trim() }),
      },
      'person',
    )
    return { refused: null }
  })
}

const nameOf = (ref: string): string => ref.split('/').at(-1) ?? ref

/** One track for each source, the changes on top. */
function tracksOf(told: CaseTold, seen: readonly Seen[]): readonly Track[] {
  const sources = new Map<string, { at: string; says: string; isCause: boolean }[]>()
  for (const { at, from, kind, says, isCause } of seen) {
    // Lines that say nothing of it are in the evidence below.
    if (at === null || (kind === 'log' && !isCause)) continue
    const name = `${nameOf(from)}${kind === 'log' ? ' log' : ''}`
    const marks = sources.get(name) ?? []
    marks.push({ at, says, isCause })
    sources.set(name, marks)
  }
  const rest = [...sources]
    .map(([name, marks]) => ({ name, marks }))
    .toSorted((a, b) => Number(hasCause(b.marks)) - Number(hasCause(a.marks)))
    .slice(0, 6)
  return [
    {
      name: 'changes',
      marks: told.before.map(({ at, id, label }) => ({
        at,
        says: `${id} ${label}`,
        isCause: false,
      })),
    },
    ...rest,
  ]
}

const hasCause = (marks: readonly { readonly isCause: boolean }[]): boolean =>
  marks.some(({ isCause }) => isCause)

function CouldBe({ told }: { readonly told: CaseTold }) {
  return (
    <PlainTable
      label="What it could be"
      className="could-be"
      heads={['could be', 'about', 'explains', { key: 'part', says: '', number: true }]}
    >
      {told.causes.slice(0, 12).map((cause, index) => (
        <Row key={`${cause.cause} ${cause.about}`}>
          <Cell>
            <StateGlyph state={index === 0 ? 'broken' : 'strained'} />{' '}
            <b className="mono">{cause.cause}</b> {cause.means}
          </Cell>
          <Cell className="mono">{nameOf(cause.about)}</Cell>
          <Cell className="share">
            <span className="share-bar">
              <span style={{ width: `${Math.round(cause.share * 100)}%` }} />
            </span>
          </Cell>
          <Cell className="number">
            {Math.round(cause.share * 100)} % · {countText(cause.because.length, 'fact')}
          </Cell>
        </Row>
      ))}
      {told.ruledOut.map(({ cause, says }) => (
        <Row key={`${cause} ${says}`}>
          <Cell className="soft">
            × <span className="mono">{cause}</span>
          </Cell>
          <Cell className="soft">ruled out</Cell>
          <Cell className="soft" colSpan={2}>
            {says}
          </Cell>
        </Row>
      ))}
    </PlainTable>
  )
}

/** Everything that was seen, of all sources in one order; what speaks for a cause stands out. */
function Evidence({ seen }: { readonly seen: readonly Seen[] }) {
  const [search, setSearch] = useState('')
  const wanted = search.toLowerCase()
  const shown = seen.filter(({ says, from }) => `${from} ${says}`.toLowerCase().includes(wanted))
  return (
    <>
      <h2 id="evidence">Evidence</h2>
      <Field label="Search the evidence" value={search} onChange={setSearch} isFind width={260} />
      {shown.length === 0 ? (
        <p className="soft">
          {seen.length === 0 ? 'Nothing was written about it.' : 'No line has these words.'}
        </p>
      ) : (
        <ol className="seen" aria-label="Evidence" tabIndex={0}>
          {shown.slice(-300).map((line, index) => (
            <li key={`${line.at} ${line.from} ${index}`} className={line.isCause ? 'cause' : ''}>
              <span>{line.at === null ? '' : timeText(line.at)}</span>
              <span className="from" title={line.from}>
                {nameOf(line.from)} {line.kind}
              </span>
              <span className="says">{line.says}</span>
            </li>
          ))}
        </ol>
      )}
    </>
  )
}

const writing = z.object({ who: z.string(), note: z.string() })

function Notes({ told }: { readonly told: CaseTold }) {
  const fetcher = useFetcher<{ refused: string | null }>()
  const form = useSchemaForm(writing, { who: told.who, note: '' })
  return (
    <div>
      <h3>Notes</h3>
      <ul className="case-notes">
        {told.notes.map(({ at, by, says }) => (
          <li key={`${at} ${says}`}>
            <span className="soft">
              {timeText(at)} {by}
            </span>{' '}
            {says}
          </li>
        ))}
      </ul>
      <SchemaForm
        label="Write into the case"
        form={form}
        onSubmit={(values) => {
          void fetcher.submit(values, { method: 'post', encType: 'application/json' })
          form.reset({ who: values.who, note: '' })
        }}
      >
        <TextAt path="who" label="Who is on it" width="100%" maxLength={200} />
        <TextAt path="note" label="Note" width="100%" rows={2} maxLength={10_000} />
        <Button type="submit" variant="outlined">
          Write it down
        </Button>
      </SchemaForm>
      <Refused says={fetcher.data?.refused} />
    </div>
  )
}

function Remedies({ told }: { readonly told: CaseTold }) {
  if (told.state === 'closed')
    return (
      <p>
        <StateGlyph state="well" /> {told.closedBy}
      </p>
    )
  return (
    <div>
      <h3>What clears it</h3>
      {told.remedies.length === 0 ? (
        <p className="soft">Nothing is proven to help. What was seen may tell more.</p>
      ) : (
        told.remedies.map(({ says, because, change }, index) => (
          <div className="remedy" key={says}>
            <b>{says}</b>
            <p>{because}</p>
            {'kind' in change ? (
              <DraftChange
                kind={change.kind}
                intent={change.intent}
                variant={index === 0 ? 'contained' : 'outlined'}
                title={says}
              >
                Draft it
              </DraftChange>
            ) : null}
          </div>
        ))
      )}
    </div>
  )
}

function CaseReason({ told }: { readonly told: CaseTold }) {
  return (
    <>
      <div>
        <div className="about">
          <span className="mono">{told.id}</span>
          <span>case · {told.cluster}</span>
        </div>
        <h2>
          <StateGlyph state={told.state === 'open' ? 'broken' : 'well'} />{' '}
          {told.says === '' ? 'Cause not known yet' : told.says}
        </h2>
      </div>
      <Remedies told={told} />
      {told.next === null || told.state === 'closed' ? null : (
        <div>
          <h3>To be surer</h3>
          <p>{told.next.says}</p>
          <p>
            <a href="#evidence">What was written so far</a>
          </p>
        </div>
      )}
      <div>
        <h3>Who would notice</h3>
        {told.notices.length === 0 ? (
          <p className="soft">Nobody that is known calls it or waits for it.</p>
        ) : (
          <ul className="facts">
            {told.notices.slice(0, 12).map(({ what, who, says }) => (
              <li key={`${what} ${who} ${says}`}>
                <span className="mono">{who}</span>
                <span className="source">{says}</span>
              </li>
            ))}
          </ul>
        )}
      </div>
      <div>
        <h3>It turned {clockText(told.since, { seconds: false })}</h3>
        {told.before.length === 0 ? (
          <p className="soft">No change ran in the six hours before.</p>
        ) : (
          <ul className="facts">
            {told.before.map(({ id, label, at, isNear }) => (
              <li key={id}>
                <To path={`/changes/${id}`}>{label}</To>
                <span className="source">
                  {timeText(at)}
                  {isNear ? ', near it' : ''}
                </span>
              </li>
            ))}
          </ul>
        )}
        <Button
          component={To}
          path="/fleet"
          query={{ at: new Date(Date.parse(told.since) - 60_000).toISOString() }}
          variant="outlined"
        >
          See the fleet a minute before
        </Button>
      </div>
      <Notes key={told.who} told={told} />
      <p>
        <a href={`/api/v1/cases/${told.id}/export.md`} download>
          The case as Markdown
        </a>
      </p>
    </>
  )
}

export default function Case({ loaderData }: Route.ComponentProps) {
  const { told, seen, now } = loaderData
  const [first] = told.causes
  const until = told.closedAt ?? now
  const lasted = (Date.parse(until) - Date.parse(told.since)) / 1000
  const short = told.symptom === '' ? told.about : told.symptom
  return (
    <Page
      title={short.length > 70 ? `${short.slice(0, 68)}…` : short}
      beside={
        <span className="soft nowrap">
          {told.state === 'open' ? 'for' : 'lasted'} {durationText(Math.max(0, lasted))} ·{' '}
          {countText(told.troubles.length, 'symptom')}
        </span>
      }
      reason={<CaseReason told={told} />}
    >
      <div className="mend-page">
        {first ? (
          <>
            <p className="soft">From cause to symptom</p>
            <CauseChain links={first.chain} />
          </>
        ) : (
          <p>Nothing that was seen names a cause: {told.next?.says ?? 'look at its evidence.'}</p>
        )}
        <p className="soft">What was seen, and what changed before</p>
        <Tracks tracks={tracksOf(told, seen)} since={told.since} until={until} />
        <CouldBe told={told} />
        {told.troubles.length < 2 ? null : (
          <>
            <h2>All that suffers from it</h2>
            <ul className="facts">
              {told.troubles.slice(0, 50).map(({ subject, symptom }) => (
                <li key={subject}>
                  <span className="mono">{nameOf(subject)}</span>
                  <span className="source">{symptom}</span>
                </li>
              ))}
            </ul>
          </>
        )}
        <Evidence seen={seen} />
      </div>
    </Page>
  )
}
