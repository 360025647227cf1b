/** Keeps a draft as a template, with the fields left open that each new draft has to say. */
import Button from '@mui/material/Button'
import Dialog from '@mui/material/Dialog'
import DialogActions from '@mui/material/DialogActions'
import DialogContent from '@mui/material/DialogContent'
import DialogTitle from '@mui/material/DialogTitle'
import { useState } from 'react'
import { useFetcher } from 'react-router'
import type { RaiseIntent } from '~/core/provisioning'
import { Field } from '../../kit/field'
import { Refused } from '../../kit/notice'
import { Tick } from '../../kit/tick'

/** Fields that usually differ from draft to draft. */
const openable = (
  intent: RaiseIntent,
): readonly { readonly pointer: string; readonly says: string; readonly usual: boolean }[] => [
  { pointer: '/name', says: 'its name', usual: true },
  { pointer: '/ranges/pods', says: 'pod range', usual: true },
  { pointer: '/ranges/services', says: 'service range', usual: true },
  { pointer: '/release', says: 'release', usual: false },
  { pointer: '/site', says: 'site', usual: false },
  ...intent.machines.map((machine, i) => ({
    pointer: `/machines/${i}/nodeName`,
    says: `node name on ${machine.machine}`,
    usual: true,
  })),
  ...intent.pools.map((pool, i) => ({
    pointer: `/pools/${i}/size`,
    says: `size of ${pool.name}`,
    usual: false,
  })),
]

export function KeepTemplate({
  id,
  intent,
}: {
  readonly id: string
  readonly intent: RaiseIntent
}) {
  const fetcher = useFetcher<{ refused?: string | null; kept?: string }>()
  const [open, setOpen] = useState(false)
  const [name, setName] = useState('')
  const [says, setSays] = useState('')
  const fields = openable(intent)
  const [chosen, setChosen] = useState<ReadonlySet<string>>(
    new Set(fields.filter((field) => field.usual).map((field) => field.pointer)),
  )
  const kept = fetcher.data?.kept
  return (
    <>
      <Button variant="outlined" onClick={() => setOpen(true)}>
        Keep as template
      </Button>
      <Dialog open={open} onClose={() => setOpen(false)} aria-labelledby="keep-template">
        <DialogTitle id="keep-template">Keep as a template</DialogTitle>
        <DialogContent sx={{ display: 'grid', gap: 1.5, minWidth: 420 }}>
          <Field label="Name" value={name} onChange={setName} width="100%" autoFocus />
          <Field label="What it is for" value={says} onChange={setSays} width="100%" />
          <fieldset className="schema-list">
            <legend>Left open: what each draft made from it has to say</legend>
            {fields.map((field) => (
              <div key={field.pointer}>
                <Tick
                  label={field.says}
                  checked={chosen.has(field.pointer)}
                  onChange={(checked) =>
                    setChosen((was) => {
                      const next = new Set(was)
                      if (checked) next.add(field.pointer)
                      else next.delete(field.pointer)
                      return next
                    })
                  }
                />
              </div>
            ))}
          </fieldset>
          <Refused says={fetcher.data?.refused} />
          {kept === undefined ? null : (
            <p role="status">Kept as {kept}. It is on the Raise page.</p>
          )}
        </DialogContent>
        <DialogActions>
          <Button onClick={() => setOpen(false)}>Close</Button>
          <Button
            variant="contained"
            disabled={name === '' || fetcher.state !== 'idle'}
            onClick={() =>
              void fetcher.submit(
                JSON.stringify({ do: 'template', name, says, open: [...chosen] }),
                { method: 'post', action: `/raise/${id}`, encType: 'application/json' },
              )
            }
          >
            Keep
          </Button>
        </DialogActions>
      </Dialog>
    </>
  )
}
