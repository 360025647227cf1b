/** Two dialogs of one kind: jump to anything, or change the aim. Type, arrows, Enter. */
import Autocomplete from '@mui/material/Autocomplete'
import Dialog from '@mui/material/Dialog'
import TextField from '@mui/material/TextField'

export interface Place {
  readonly label: string
  readonly kind: string
  readonly go: () => void
}

export interface JumpProps {
  readonly open: boolean
  readonly title: string
  readonly places: readonly Place[]
  readonly onClose: () => void
}

export function Jump({ open, title, places, onClose }: JumpProps) {
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
        getOptionKey={(place) => `${place.kind} ${place.label}`}
        renderOption={({ key, ...props }, place) => (
          <li key={key} {...props} style={{ justifyContent: 'space-between', display: 'flex' }}>
            <span className="mono">{place.label}</span>
            <span className="soft">{place.kind}</span>
          </li>
        )}
        autoHighlight
        openOnFocus
        noOptionsText="Nothing of that name."
        onChange={(_event, place) => {
          onClose()
          place?.go()
        }}
        renderInput={(params) => <TextField {...params} autoFocus label={title} />}
      />
    </Dialog>
  )
}
