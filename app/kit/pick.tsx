import FormControlLabel from '@mui/material/FormControlLabel'
import Radio from '@mui/material/Radio'
import type { ReactNode } from 'react'

/** A single radio, for tables in which each row can be the one. */
export function Pick({
  label,
  says,
  name,
  checked,
  onChange,
}: {
  readonly label: ReactNode
  readonly says?: string
  readonly name: string
  readonly checked: boolean
  readonly onChange: () => void
}) {
  return (
    <FormControlLabel
      label={label}
      control={
        <Radio
          size="small"
          name={name}
          checked={checked}
          onChange={onChange}
          slotProps={{ input: says === undefined ? {} : { 'aria-label': says } }}
        />
      }
    />
  )
}
