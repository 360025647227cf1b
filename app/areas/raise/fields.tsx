/** Fields of the draft sheet: labelled, and marked by the findings that are about them. */
import Checkbox from '@mui/material/Checkbox'
import FormControlLabel from '@mui/material/FormControlLabel'
import MenuItem from '@mui/material/MenuItem'
import TextField from '@mui/material/TextField'
import { createContext, useContext } from 'react'
import type { Finding } from '~/core/changes'

export interface SheetContextValue {
  readonly findings: readonly Finding[]
  readonly set: (path: string, value: unknown) => void
}

export const SheetContext = createContext<SheetContextValue>({ findings: [], set: () => undefined })

/** The worst finding about a field. */
export function useFinding(path: string): Finding | undefined {
  const { findings } = useContext(SheetContext)
  return (
    findings.find((finding) => finding.field === path && finding.level !== 'note') ??
    findings.find((finding) => finding.field === path)
  )
}

interface FieldProps {
  readonly path: string
  readonly label: string
  readonly width?: number | string
  readonly help?: string
}

function useField(path: string, help?: string) {
  const { set } = useContext(SheetContext)
  const finding = useFinding(path)
  const stop = finding?.level === 'stop'
  return {
    set: (value: unknown) => set(path, value),
    error: stop,
    helperText: stop ? finding.says : (help ?? undefined),
  }
}

const mono = {
  input: { sx: { fontFamily: 'var(--mono)', fontSize: 12, fontStretch: '75%' } },
  inputLabel: { shrink: true },
}

export function TextIn({
  path,
  label,
  value,
  width = 180,
  help,
}: FieldProps & { readonly value: string }) {
  const { set, error, helperText } = useField(path, help)
  return (
    <TextField
      label={label}
      value={value}
      onChange={(event) => set(event.target.value)}
      error={error}
      helperText={helperText}
      sx={{ width }}
      slotProps={mono}
      autoComplete="off"
    />
  )
}

export function NumberIn({
  path,
  label,
  value,
  width = 110,
  help,
  most = 10_000,
}: FieldProps & { readonly value: number | undefined; readonly most?: number }) {
  const { set, error, helperText } = useField(path, help)
  return (
    <TextField
      label={label}
      type="number"
      value={value ?? ''}
      onChange={(event) =>
        set(
          event.target.value === ''
            ? undefined
            : Math.max(0, Math.min(most, Math.trunc(Number(event.target.value)))),
        )
      }
      error={error}
      helperText={helperText}
      sx={{ width }}
      slotProps={{ ...mono, htmlInput: { min: 0, max: most } }}
    />
  )
}

export interface Option {
  readonly value: string
  readonly says: string
}

export interface SelectProps extends FieldProps {
  readonly value: string
  readonly options: readonly Option[]
  /** What stands where nothing is chosen: the default that then holds. */
  readonly empty?: string
  readonly onPick?: (value: string) => void
}

export function SelectIn({
  path,
  label,
  value,
  options,
  width = 180,
  help,
  empty = 'choose',
  onPick,
}: SelectProps) {
  const { set, error, helperText } = useField(path, help)
  // A value that is no longer offered stays visible until it is changed.
  const all =
    options.some((option) => option.value === value) || value === ''
      ? options
      : [...options, { value, says: `${value} (not offered)` }]
  return (
    <TextField
      select
      label={label}
      value={value}
      onChange={(event) => (onPick ?? set)(event.target.value)}
      error={error}
      helperText={helperText}
      sx={{ width }}
      slotProps={{ ...mono, select: { displayEmpty: true } }}
    >
      {value === '' ? <MenuItem value="">{empty}</MenuItem> : null}
      {all.map((option) => (
        <MenuItem key={option.value} value={option.value}>
          {option.says}
        </MenuItem>
      ))}
    </TextField>
  )
}

export function CheckIn({ path, label, value }: FieldProps & { readonly value: boolean }) {
  const { set } = useField(path)
  return (
    <FormControlLabel
      control={<Checkbox checked={value} onChange={(event) => set(event.target.checked)} />}
      label={label}
    />
  )
}

type Step = string | number

const stepsOf = (path: string): readonly Step[] =>
  path
    .split(/[.[\]]+/)
    .filter((part) => part !== '')
    .map((part) => (/^\d+$/.test(part) ? Number(part) : part))

/** A copy of `value` with the place at `path` replaced; `undefined` removes it. */
export function withAt<T>(value: T, path: string, replacement: unknown): T {
  const put = (at: unknown, steps: readonly Step[]): unknown => {
    const [first, ...rest] = steps
    if (first === undefined) return replacement
    if (Array.isArray(at)) {
      const copy: unknown[] = [...at]
      copy[Number(first)] = put(at[Number(first)], rest)
      return copy
    }
    const record = (typeof at === 'object' && at !== null ? at : {}) as Record<string, unknown>
    const inner = put(record[String(first)], rest)
    const { [String(first)]: _gone, ...others } = record
    return inner === undefined ? others : { ...record, [String(first)]: inner }
  }
  return put(value, stepsOf(path)) as T
}
