/** The reason panel’s body for a selected object. */
import Button from '@mui/material/Button'
import { useSubmit } from 'react-router'
import { useKey } from '../frame/keys'
import type { ReasonData } from '../areas/reason-data'
import { CaseButton, type CaseSubject } from './case-button'
import { DraftButton } from './draft-button'
import { StateGlyph } from './state'
import { To, useAddress } from './to'
import { Ago } from './when'

/** What a case about the selection would be about; null where it is well, or no case is made of such. */
function caseSubject({ ref, state }: ReasonData): CaseSubject | null {
  if (state !== 'broken' && state !== 'strained') return null
  const [kind, cluster = '', ...rest] = ref.split('/')
  if (kind === 'cluster') return { cluster, about: 'cluster' }
  return kind === 'node' || kind === 'pod' ? { cluster, about: [kind, ...rest].join('/') } : null
}

export function Reason({ reason, now }: { readonly reason: ReasonData; readonly now: string }) {
  const submit = useSubmit()
  const address = useAddress()
  const { raiseAt } = reason
  useKey('c', () => {
    if (raiseAt !== undefined)
      void submit(null, { method: 'post', action: address('/raise/new', { site: raiseAt }) })
    else if (reason.kind === 'cluster')
      void submit(
        { do: 'take-down' },
        { method: 'post', action: address(`/clusters/${reason.name}`) },
      )
  })
  return (
    <>
      <div>
        <div className="about">
          <span className="mono" data-copy={reason.name}>
            {reason.name}
          </span>
          <span>
            {reason.kind} · {reason.where}
          </span>
        </div>
        <h2 style={{ marginTop: 4 }}>
          <StateGlyph state={reason.state} />{' '}
          {reason.state === 'well'
            ? 'Well'
            : reason.state.charAt(0).toUpperCase() + reason.state.slice(1)}
        </h2>
        <p className="soft" style={{ marginTop: 4 }}>
          {reason.says}
        </p>
        <p style={{ marginTop: 4 }}>
          <To path="/journal/observed" query={{ about: reason.ref, at: null }}>
            Since when, and what changed
          </To>
        </p>
      </div>
      <div>
        <h3>What it rests on</h3>
        <ul className="facts">
          {reason.facts.map((fact) => (
            <li key={`${fact.says}${fact.value}`}>
              <span>{fact.says}</span>
              <span className="source" style={{ overflowWrap: 'anywhere' }}>
                {fact.value}
                {fact.at === undefined ? null : (
                  <>
                    <br />
                    <Ago at={fact.at} now={now} />
                  </>
                )}
              </span>
            </li>
          ))}
        </ul>
      </div>
      <div className="acts">
        <CaseButton id={reason.case ?? null} subject={caseSubject(reason)} hasKey />
        {reason.actions.map((action) => (
          <Button key={action.path} component={To} path={action.path} variant="outlined">
            {action.says}
          </Button>
        ))}
        {reason.raiseAt === undefined ? null : (
          <DraftButton site={reason.raiseAt} variant="outlined">
            Raise a cluster here
          </DraftButton>
        )}
      </div>
    </>
  )
}
