/** An access file for somebody: made, saved or copied, and called back with all that they were given before. */
import Button from '@mui/material/Button'
import { useState } from 'react'
import { useFetcher } from 'react-router'
import { Choice } from '../kit/choice'
import { Refused } from '../kit/notice'
import { saveFile } from '../kit/save-file'
import { CopyButton } from './copy-button'

const terms = [
  { value: '900', says: '15 minutes' },
  { value: '3600', says: '1 hour' },
  { value: '28800', says: '8 hours' },
]

export interface AccessFor {
  readonly cluster: string
  /** As tokens bear it: a user, or `system:serviceaccount:NAMESPACE:NAME`. */
  readonly as: string
  readonly groups?: readonly string[]
}

export function AccessFile({
  access: { cluster, as, groups = [] },
  disabled = false,
}: {
  readonly access: AccessFor
  readonly disabled?: boolean
}) {
  const fetcher = useFetcher<{ yaml?: string | null; refused?: string | null }>()
  const [seconds, setSeconds] = useState('28800')
  const [asked, setAsked] = useState('')
  const busy = disabled || fetcher.state !== 'idle'
  const key = [as, ...groups].join(' ')
  const ask = (what: 'give' | 'call-back'): void => {
    const form = new FormData()
    for (const [name, value] of Object.entries({ do: what, cluster, as, seconds }))
      form.append(name, value)
    for (const group of groups) form.append('group', group)
    setAsked(key)
    void fetcher.submit(form, { method: 'post', action: '/do/access' })
  }
  // What was answered for somebody else says nothing here.
  const answer = asked === key && fetcher.state === 'idle' ? fetcher.data : undefined
  const yaml = answer?.yaml ?? null
  return (
    <div className="access-file">
      <Choice
        label="Good for"
        value={seconds}
        options={terms}
        unfolds
        onChange={setSeconds}
        width={130}
      />
      <div className="acts">
        <Button variant="contained" disabled={busy} onClick={() => ask('give')}>
          Make an access file
        </Button>
        <Button variant="outlined" disabled={busy} onClick={() => ask('call-back')}>
          Call back earlier ones
        </Button>
      </div>
      {yaml === null ? null : (
        <div className="acts" role="status">
          <span>Made for {as}.</span>
          <Button
            variant="contained"
            onClick={() => saveFile(`${cluster}.kubeconfig.yaml`, 'application/yaml', yaml)}
          >
            Download
          </Button>
          <CopyButton text={() => yaml}>Copy</CopyButton>
        </div>
      )}
      {answer?.yaml === null ? (
        <p className="soft" role="status">
          What {as} was given before is refused from now on.
        </p>
      ) : null}
      <Refused says={answer?.refused} />
    </div>
  )
}
