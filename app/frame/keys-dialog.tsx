/** The keys, whether single letters act, and whether the clock is calm. */
import Dialog from '@mui/material/Dialog'
import { useState } from 'react'
import { useFetcher } from 'react-router'
import { Switch } from '../kit/tick'
import { keyList, letterKeysOn, setLetterKeys } from './keys'

export default function KeysDialog({
  calm,
  onClose,
}: {
  readonly calm: boolean
  readonly onClose: () => void
}) {
  const [on, setOn] = useState(letterKeysOn)
  const fetcher = useFetcher()
  return (
    <Dialog open onClose={onClose} aria-label="Keys and clock">
      <div style={{ padding: 20, minWidth: 380 }}>
        <h2>Keys</h2>
        <dl className="facts" style={{ marginTop: 10 }}>
          {keyList.map(([key, does]) => (
            <div key={key}>
              <dt>
                <kbd>{key}</kbd>
              </dt>
              <dd>{does}</dd>
            </div>
          ))}
        </dl>
        <Switch
          label="Single-letter keys"
          checked={on}
          onChange={(next) => {
            setLetterKeys(next)
            setOn(next)
          }}
        />
        <h2 style={{ marginTop: 18 }}>Clock</h2>
        <Switch
          label="Calm: 60× while a change runs, else 1×"
          checked={calm}
          onChange={(next) =>
            void fetcher.submit(
              { calm: next ? 'yes' : 'no' },
              { method: 'post', action: '/do/clock' },
            )
          }
        />
      </div>
    </Dialog>
  )
}
