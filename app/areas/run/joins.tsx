/** Machines a run waits for: the script for each, who has called, what is wrong, and what is missing to a majority. */
import Button from '@mui/material/Button'
import { useState } from 'react'
import { useFetcher } from 'react-router'
import type { JoinState } from '~/server/joins/joins'
import { CopyButton } from '../../parts/copy-button'
import { StateGlyph } from '../../parts/state'
import { saveFile } from '../../kit/save-file'
import { Tip } from '../../kit/tip'
import { countText } from '~/core/units'

const glyph = {
  'waited for': 'working',
  taken: 'well',
  refused: 'broken',
  ended: 'strained',
} as const

function OneJoin({ join }: { readonly join: JoinState }) {
  const fetcher = useFetcher<{ refused?: string | null }>()
  const [open, setOpen] = useState(false)
  const send = (what: 'call' | 'renew'): void =>
    void fetcher.submit({ do: `join-${what}`, machine: join.machine }, { method: 'post' })
  const { script } = join
  return (
    <li className="join">
      <div className="join-head">
        <span>
          <StateGlyph state={glyph[join.state]} title={join.state} />{' '}
          <b className="mono">{join.machine}</b> as <span className="mono">{join.node}</span>{' '}
          <span className="soft">{join.roles.join(', ')}</span>
        </span>
        <span className="mono">
          {join.address} on {join.card}
        </span>
        <span>
          {join.state === 'waited for'
            ? `its script is taken for ${countText(join.minutesLeft, 'more minute')}`
            : join.state}
        </span>
      </div>
      {join.says && join.state !== 'taken' ? (
        <p className={join.state === 'refused' ? 'field-stop' : 'soft'}>{join.says}</p>
      ) : null}
      {join.facts ? (
        <p className="soft mono">
          {join.facts.cards
            .map((card) => `${card.name} ${card.addresses.join(' ') || 'without address'}`)
            .join('; ')}{' '}
          · runtime {join.facts.runtime ? 'present' : 'missing'}
        </p>
      ) : null}
      {join.state === 'taken' ? null : (
        <div className="acts">
          {join.stuck ? (
            <span className="soft">
              Its remedy is below, where the run says why it stopped here. After that it gets a new
              script.
            </span>
          ) : null}
          {!join.stuck && script === null ? (
            <Button variant="contained" onClick={() => send('renew')}>
              Make a new script
            </Button>
          ) : null}
          {join.stuck || script === null ? null : (
            <>
              <CopyButton text={() => script}>Copy the script</CopyButton>
              <Button
                variant="outlined"
                onClick={() => saveFile(`join-${join.machine}.sh`, 'text/x-shellscript', script)}
              >
                Download
              </Button>
              <Button variant="text" onClick={() => setOpen(!open)} aria-expanded={open}>
                {open ? 'Hide it' : 'Show it'}
              </Button>
              <Tip says="The machine is a stand-in: this runs the script on it, as the person in front of it would">
                <Button
                  variant="text"
                  disabled={fetcher.state !== 'idle'}
                  onClick={() => send('call')}
                >
                  Run it on the stand-in
                </Button>
              </Tip>
            </>
          )}
        </div>
      )}
      {open && script !== null ? <pre className="script">{script}</pre> : null}
    </li>
  )
}

export function Joins({
  joins,
  missing,
}: {
  readonly joins: readonly JoinState[]
  readonly missing: string | null
}) {
  return (
    <section aria-label="Machines waited for" className="joins">
      <h2>
        {joins.filter((join) => join.state === 'taken').length} of{' '}
        {countText(joins.length, 'machine has', 'machines have')} called
      </h2>
      {missing === null ? null : <p>{missing}</p>}
      <ul>
        {joins.map((join) => (
          <OneJoin key={join.machine} join={join} />
        ))}
      </ul>
    </section>
  )
}
