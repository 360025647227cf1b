/** Who may do what in a cluster, and the way in. */
import Button from '@mui/material/Button'
import { useState } from 'react'
import { useFetcher } from 'react-router'
import { saveFile } from '../../kit/save-file'
import { Refused } from '../../kit/notice'

export function Access({ name, answers }: { readonly name: string; readonly answers: boolean }) {
  const fetcher = useFetcher<{ yaml?: string; refused?: string | null }>()
  const [said, setSaid] = useState('')
  const yaml = fetcher.data?.yaml
  return (
    <div>
      <h3>Access file</h3>
      <p className="soft">
        A kubeconfig for duty, valid for eight hours. Any client of the open API takes it.
      </p>
      <div className="acts" style={{ marginTop: 8 }}>
        {yaml === undefined ? (
          <Button
            variant="contained"
            disabled={!answers || fetcher.state !== 'idle'}
            onClick={() => void fetcher.submit({ do: 'access' }, { method: 'post' })}
          >
            Make an access file
          </Button>
        ) : (
          <>
            <Button
              variant="contained"
              onClick={() => saveFile(`${name}.kubeconfig.yaml`, 'application/yaml', yaml)}
            >
              Download
            </Button>
            <Button
              variant="outlined"
              onClick={() =>
                void navigator.clipboard.writeText(yaml).then(
                  () => setSaid('Copied.'),
                  () => setSaid('The browser did not allow copying.'),
                )
              }
            >
              Copy
            </Button>
            <span role="status">{said}</span>
          </>
        )}
        {answers ? null : <span className="soft">once its API answers</span>}
      </div>
      <Refused says={fetcher.data?.refused} />
    </div>
  )
}
