/** One out of a list. Long lists are typed into; short ones unfold. */
import MenuItem from '@mui/material/MenuItem'
import TextField from '@mui/material/TextField'
import { lazy, Suspense } from 'react'
import { useAwake } from './awake'
import { fieldParts } from './field'
import type { ChoiceProps, Option } from './option'
import { useTurn } from './turn'

export type { ChoiceProps, Option } from './option'

const optionOf = (option: string | Option): Option =>
  typeof option === 'string' ? { value: option, says: option } : option

const TypedChoice = lazy(() => import('./typed-choice'))

/** Past this many a list is searched sooner than read. */
const typedFrom = 25

export function Choice({
  name,
  options,
  value,
  defaultValue,
  onChange,
  onBlur,
  empty,
  disabled,
  unfolds = false,
  ...shared
}: ChoiceProps) {
  useTurn()
  const parts = fieldParts(shared)
  const all = options.map(optionOf)
  // A value that is no longer offered stays visible until it is changed.
  if (value !== undefined && value !== '' && !all.some((option) => option.value === value))
    all.push({ value, says: `${value} (not offered)` })
  const isTyped = useAwake() && !unfolds && all.length >= typedFrom && value !== undefined
  if (isTyped)
    return (
      <Suspense fallback={<TextField {...parts} value={value} disabled />}>
        <TypedChoice
          {...shared}
          name={name}
          all={all}
          value={value}
          onChange={onChange}
          empty={empty}
          disabled={disabled}
        />
      </Suspense>
    )
  return (
    <TextField
      {...parts}
      select
      name={name}
      value={value}
      defaultValue={
        defaultValue ?? (value === undefined ? (empty ?? all[0]?.value ?? '') : undefined)
      }
      onChange={(event) => onChange?.(event.target.value)}
      onBlur={onBlur}
      disabled={disabled}
      slotProps={{
        ...parts.slotProps,
        select: {
          displayEmpty: true,
          SelectDisplayProps: shared.hideLabel === true ? { 'aria-label': shared.label } : {},
        },
        htmlInput: {},
      }}
    >
      {empty === undefined && value !== '' ? null : (
        <MenuItem value="">{empty ?? 'choose'}</MenuItem>
      )}
      {all.map((option) => (
        <MenuItem key={option.value} value={option.value}>
          {option.says}
        </MenuItem>
      ))}
    </TextField>
  )
}
