/** Two dialogs of one kind: jump to anything, or change the aim. Type, arrows, Enter. */
import Autocomplete from '@mui/material/Autocomplete'
import Dialog from '@mui/material/Dialog'
import TextField from '@mui/material/TextField'
import { useEffect, useState } from 'react'
import { useNavigate, useSubmit } from 'react-router'
import { useAddress } from '../parts/to'
import type { JumpPlace } from './places'

export interface Place {
  readonly key: string
  readonly label: string
  /** What it is, and where. */
  readonly kind: string
  readonly go: () => void
}

interface PickerProps {
  readonly open: boolean
  readonly title: string
  readonly places: readonly Place[]
  readonly onClose: () => void
  /** Told what is typed, where the places are matches elsewhere. */
  readonly onText?: (text: string) => void
  readonly empty: string
}

export function PlacePicker({ open, title, places, onClose, onText, empty }: PickerProps) {
  return (
    <Dialog
      open={open}
      onClose={onClose}
      fullWidth
      maxWidth="sm"
      aria-label={title}
      slotProps={{
        paper: { sx: { position: 'absolute', top: 60, m: 0, p: 1.5, overflow: 'visible' } },
      }}
    >
      <Autocomplete<Place, false, false, false>
        options={places as Place[]}
        getOptionLabel={(place) => place.label}
        getOptionKey={(place) => place.key}
        renderOption={({ key, ...props }, place) => (
          <li key={key} {...props} style={{ justifyContent: 'space-between', display: 'flex' }}>
            <span className="mono">{place.label}</span>
            <span className="soft nowrap">{place.kind}</span>
          </li>
        )}
        {...(onText ? { filterOptions: (all: Place[]) => all } : {})}
        onInputChange={(_event, text) => onText?.(text)}
        autoHighlight
        openOnFocus
        clearOnBlur={false}
        noOptionsText={empty}
        onChange={(_event, place) => {
          onClose()
          place?.go()
        }}
        renderInput={(params) => <TextField {...params} autoFocus label={title} />}
      />
    </Dialog>
  )
}

interface Found {
  readonly of: string
  readonly more: boolean
  readonly places: readonly JumpPlace[]
}

/** What the server finds for a text; asked again while clusters are still being listed. */
function useFound(open: boolean, text: string): Found | null {
  const [matches, setFound] = useState<Found | null>(null)
  const [round, setRound] = useState(0)
  useEffect(() => {
    if (!open) return
    const stop = new AbortController()
    const ask = async (): Promise<void> => {
      const response = await fetch(`/do/jump?text=${encodeURIComponent(text)}`, {
        signal: stop.signal,
      })
      if (response.ok) setFound({ ...((await response.json()) as Omit<Found, 'of'>), of: text })
    }
    // Without an answer what was found stays: the next letter asks anew.
    ask().catch(() => undefined)
    return () => stop.abort()
  }, [open, text, round])
  const isPartial = open && matches?.of === text && matches.more
  // Some time after each answer, not after each question: a slow answer is waited for.
  useEffect(() => {
    if (!isPartial) return
    const timer = setTimeout(() => setRound((was) => was + 1), 400)
    return () => clearTimeout(timer)
  }, [isPartial, matches])
  return matches
}

/** Jump: any object, area, change or command. */
export function Jump({ open, onClose }: { readonly open: boolean; readonly onClose: () => void }) {
  const [text, setText] = useState('')
  const navigate = useNavigate()
  const submit = useSubmit()
  const address = useAddress()
  const matches = useFound(open, text)
  const go = ({ path, isCommand, kind }: JumpPlace): void => {
    if (isCommand === true) {
      void submit(null, { method: 'post', action: address(path) })
      return
    }
    // Areas and views keep the aim; a thing brings its own.
    const keepsAim = kind === 'area' || kind === 'view'
    void navigate(keepsAim ? address(path) : path)
  }
  return (
    <PlacePicker
      open={open}
      title="Jump to"
      onClose={onClose}
      onText={setText}
      empty={matches?.of === text && !matches.more ? 'Nothing of that name.' : 'Looking…'}
      places={(matches?.places ?? []).map((place) => ({
        key: place.ref,
        label: place.name,
        kind: [place.kind, place.where].filter((part) => part !== '').join(' · '),
        go: () => go(place),
      }))}
    />
  )
}
