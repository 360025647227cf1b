/** What is known of a case in short, and what can be done: remedies, the next look, who would notice, what changed before, notes. */
import Button from '@mui/material/Button'
import { useFetcher } from 'react-router'
import { z } from 'zod'
import type { CaseTold } from '~/server/mend/case-told'
import { SchemaForm, TextAt, useSchemaForm } from '../../kit/form'
import { Refused } from '../../kit/notice'
import { DraftChange } from '../../parts/draft-change'
import { SinceWhen } from '../../parts/since-when'
import { StateGlyph } from '../../parts/state'
import { To } from '../../parts/to'
import { clockText, timeText } from '../../parts/when'

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

/** Where a change is that a remedy amends: its run, or its draft. */
function placeOf({ subjects }: CaseTold): string {
  const [kind, id = ''] = (subjects[0] ?? '').split('/')
  return kind === 'run' || kind === 'finding' ? `/changes/${id}` : '/mend'
}

/** What can be asked of the past about a case: since when its first symptom is as it is. */
function sinceAsk({ cluster, subjects }: CaseTold): Readonly<Record<string, string>> | null {
  const subject = subjects[0] ?? ''
  const [kind = '', name = ''] = subject.split('/')
  if (kind === 'node') return { state: `node/${cluster}/${name}` }
  if (kind === 'expectation') return { expectation: subject.slice('expectation/'.length) }
  if (kind === 'run' || kind === 'finding' || cluster === '') return null
  return { state: `cluster/${cluster}` }
}

/** The next look, as one button; what it finds is noted, and counts from then on. */
function NextProbe({ told }: { readonly told: CaseTold }) {
  const fetcher = useFetcher<{ refused: string | null }>()
  if (told.next === null || told.state === 'closed') return null
  return (
    <div>
      <h3>To be surer</h3>
      <p>{told.next.says}</p>
      <div className="acts">
        <Button
          variant="outlined"
          loading={fetcher.state !== 'idle'}
          onClick={() =>
            void fetcher.submit({ probe: true }, { method: 'post', encType: 'application/json' })
          }
        >
          Look now
        </Button>
      </div>
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
            {'patchDraft' in change ? (
              <Button
                component={To}
                path={placeOf(told)}
                variant={index === 0 ? 'contained' : 'outlined'}
              >
                Take it there
              </Button>
            ) : (
              <DraftChange
                kind={change.kind}
                intent={change.intent}
                variant={index === 0 ? 'contained' : 'outlined'}
                title={says}
              >
                Draft it
              </DraftChange>
            )}
          </div>
        ))
      )}
    </div>
  )
}

export function CaseReason({
  told,
  before,
}: {
  readonly told: CaseTold
  /** A moment before it began, ISO; null where the fleet of then is not known. */
  readonly before: string | null
}) {
  const ask = sinceAsk(told)
  const isHeld = placeOf(told) !== '/mend'
  return (
    <>
      <div>
        <div className="about">
          <span className="mono">{told.id}</span>
          <span>{told.cluster === '' ? 'case' : `case · ${told.cluster}`}</span>
        </div>
        <h2>
          <StateGlyph state={told.state === 'open' ? 'broken' : 'well'} />{' '}
          {told.says === '' ? 'Cause not known yet' : told.says}
        </h2>
      </div>
      {isHeld ? (
        <div className="acts">
          <Button component={To} path={placeOf(told)} variant="outlined">
            Open the change
          </Button>
        </div>
      ) : null}
      <Remedies told={told} />
      <NextProbe told={told} />
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
        {ask === null ? null : <SinceWhen ask={ask} />}
        {before === null ? null : (
          <Button component={To} path="/fleet" query={{ at: before }} variant="outlined">
            See the fleet a minute before
          </Button>
        )}
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
