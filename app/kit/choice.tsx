/** One out of a list. Long lists are typed into; short ones unfold. */
import MenuItem from '@mui/material/MenuItem'
import TextField from '@mui/material/TextField'
import { lazy, Suspense } from 'react'
import { useAwake } from './awake'
import { type FieldProps, fieldParts } from './field'

export interface Option {
  readonly value: string
  readonly says: string
}

export interface ChoiceProps extends Pick<
  FieldProps,
  'label' | 'name' | 'help' | 'error' | 'width' | 'hideLabel' | 'mono' | 'disabled' | 'onBlur'
> {
  readonly options: readonly (string | Option)[]
  readonly value?: string | undefined
  readonly defaultValue?: string | undefined
  readonly onChange?: ((value: string) => void) | undefined
  /** What stands where nothing is chosen; without it something always is. */
  readonly empty?: string | undefined
}

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
  ...shared
}: ChoiceProps) {
  const parts = fieldParts(shared)
  const all = options.map(optionOf)
  // A value that is no longer offered stays visible until it is changed.
  if (value !== undefined && value !== '' && !all.some((option) => option.value === value))
    all.push({ value, says: `${value} (not offered)` })
  const isTyped = useAwake() && all.length >= typedFrom && value !== undefined
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
