/** A labelled field. Its error stands under it; a label that is hidden is still read aloud. */
import TextField from '@mui/material/TextField'
import type { ReactNode, Ref } from 'react'
import { useTurn } from './turn'

export interface FieldProps {
  readonly label: string
  readonly name?: string | undefined
  readonly value?: string | undefined
  readonly defaultValue?: string | undefined
  readonly onChange?: ((text: string) => void) | undefined
  readonly onBlur?: (() => void) | undefined
  readonly onEnter?: (() => void) | undefined
  readonly help?: ReactNode
  /** Why what stands here cannot be taken. */
  readonly error?: string | null | undefined
  readonly width?: number | string
  /** The label is read aloud only. */
  readonly hideLabel?: boolean | undefined
  /** Names, addresses and numbers. */
  readonly mono?: boolean | undefined
  readonly placeholder?: string | undefined
  readonly maxLength?: number | undefined
  readonly rows?: number | undefined
  readonly autoFocus?: boolean | undefined
  readonly disabled?: boolean | undefined
  readonly required?: boolean | undefined
  /** What is typed is not shown. */
  readonly isSecret?: boolean | undefined
  /** `/` leads here. */
  readonly isFind?: boolean | undefined
  readonly inputRef?: Ref<HTMLInputElement> | undefined
}

const monoStyle = { fontFamily: 'var(--mono)', fontSize: 12, fontStretch: '75%' }

/** What MUI’s text field is given for the props that all fields of the kit share. */
export function fieldParts({
  label,
  hideLabel = false,
  mono = false,
  isFind = false,
  maxLength,
  help,
  error,
  width = 180,
}: Pick<
  FieldProps,
  'label' | 'hideLabel' | 'mono' | 'isFind' | 'maxLength' | 'help' | 'error' | 'width'
>) {
  const isWrong = error !== undefined && error !== null
  return {
    label: hideLabel ? undefined : label,
    error: isWrong,
    helperText: isWrong ? error : help,
    sx: { width, ...(hideLabel ? { '& .MuiInputBase-root': { mt: 0 } } : {}) },
    slotProps: {
      input: mono ? { sx: monoStyle } : {},
      inputLabel: { shrink: true },
      htmlInput: {
        ...(hideLabel ? { 'aria-label': label } : {}),
        ...(isFind ? { 'data-find': '' } : {}),
        ...(maxLength === undefined ? {} : { maxLength }),
        autoComplete: 'off',
        spellCheck: false,
      },
    },
  }
}

export function Field({
  name,
  value,
  defaultValue,
  onChange,
  onBlur,
  onEnter,
  placeholder,
  rows,
  autoFocus,
  disabled,
  required,
  isSecret,
  inputRef,
  ...shared
}: FieldProps) {
  useTurn()
  return (
    <TextField
      {...fieldParts(shared)}
      name={name}
      {...(isSecret === true ? { type: 'password' } : {})}
      value={value}
      defaultValue={defaultValue}
      onChange={(event) => onChange?.(event.target.value)}
      onBlur={onBlur}
      onKeyDown={
        onEnter
          ? (event) => {
              if (event.key === 'Enter') onEnter()
            }
          : undefined
      }
      placeholder={placeholder}
      multiline={rows !== undefined}
      minRows={rows}
      maxRows={rows === undefined ? undefined : Math.max(rows, 24)}
      autoFocus={autoFocus}
      disabled={disabled}
      required={required}
      inputRef={inputRef}
    />
  )
}
