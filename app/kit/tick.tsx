/** Yes or no: a tick for what is sent with a form, a switch for what acts at once. */
import Checkbox from '@mui/material/Checkbox'
import FormControlLabel from '@mui/material/FormControlLabel'
import MuiSwitch from '@mui/material/Switch'
import type { ReactNode } from 'react'
import { useTurn } from './turn'

interface TickProps {
  readonly label: ReactNode
  /** Read aloud instead of the label, where that says too little by itself. */
  readonly says?: string
  readonly name?: string
  readonly checked?: boolean
  readonly defaultChecked?: boolean
  readonly onChange?: (checked: boolean) => void
  readonly disabled?: boolean
}

export function Tick({
  label,
  says,
  onChange,
  name,
  checked,
  defaultChecked,
  disabled,
}: TickProps) {
  useTurn()
  return (
    <FormControlLabel
      label={label}
      control={
        <Checkbox
          name={name}
          checked={checked}
          defaultChecked={defaultChecked}
          disabled={disabled}
          onChange={(event) => onChange?.(event.target.checked)}
          slotProps={{ input: says === undefined ? {} : { 'aria-label': says } }}
        />
      }
    />
  )
}

export function Switch({ label, says, onChange, name, checked, disabled }: TickProps) {
  return (
    <FormControlLabel
      label={label}
      control={
        <MuiSwitch
          size="small"
          name={name}
          checked={checked}
          disabled={disabled}
          onChange={(event) => onChange?.(event.target.checked)}
          slotProps={{ input: says === undefined ? {} : { 'aria-label': says } }}
        />
      }
    />
  )
}
