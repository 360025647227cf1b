/** One out of a few that are all seen at once. */
import FormControlLabel from '@mui/material/FormControlLabel'
import Radio from '@mui/material/Radio'
import RadioGroup from '@mui/material/RadioGroup'
import type { ReactNode } from 'react'

export function Picks({
  label,
  name,
  value,
  options,
  onChange,
}: {
  readonly label: string
  readonly name?: string
  readonly value: string
  readonly options: readonly { readonly value: string; readonly says: ReactNode }[]
  readonly onChange: (value: string) => void
}) {
  return (
    <RadioGroup
      row
      aria-label={label}
      name={name}
      value={value}
      onChange={(event) => onChange(event.target.value)}
    >
      {options.map((option) => (
        <FormControlLabel
          key={option.value}
          value={option.value}
          control={<Radio size="small" />}
          label={option.says}
        />
      ))}
    </RadioGroup>
  )
}

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
