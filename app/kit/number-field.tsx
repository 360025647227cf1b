import TextField from '@mui/material/TextField'
import { useState } from 'react'
import { type FieldProps, fieldParts } from './field'
import { useTurn } from './turn'

export interface NumberFieldProps extends Pick<
  FieldProps,
  'label' | 'name' | 'help' | 'error' | 'width' | 'hideLabel' | 'disabled' | 'onBlur' | 'inputRef'
> {
  readonly value?: number | undefined
  readonly defaultValue?: number | undefined
  /** Told the number, or nothing where the field is empty or holds none. */
  readonly onChange?: (value: number | undefined) => void
  readonly min?: number | undefined
  readonly max?: number | undefined
  /** The distance between two values; 1 takes whole numbers alone, `any` takes all. */
  readonly step?: number | 'any'
}

/** A number with its bounds, which the browser’s own arrows respect. */
export function NumberField({
  name,
  value,
  defaultValue,
  onChange,
  onBlur,
  min = 0,
  max,
  step = 1,
  disabled,
  inputRef,
  width = 110,
  ...shared
}: NumberFieldProps) {
  useTurn()
  // Whoever is told of nothing may take a number instead: while one types, an emptied field stays empty.
  const [isEmptied, setEmptied] = useState(false)
  const parts = fieldParts({ ...shared, width, mono: true })
  return (
    <TextField
      {...parts}
      slotProps={{
        ...parts.slotProps,
        htmlInput: { ...parts.slotProps.htmlInput, min, max, step },
      }}
      type="number"
      name={name}
      value={onChange ? ((isEmptied ? undefined : value) ?? '') : undefined}
      defaultValue={defaultValue}
      onChange={({ target }) => {
        setEmptied(target.value === '')
        onChange?.(target.value === '' ? undefined : Number(target.value))
      }}
      onBlur={() => {
        setEmptied(false)
        onBlur?.()
      }}
      disabled={disabled}
      inputRef={inputRef}
    />
  )
}
