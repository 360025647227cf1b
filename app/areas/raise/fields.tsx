/** Fields of the draft sheet: labelled, and marked by the findings that are about them. */
import { createContext, useContext } from 'react'
import type { Finding } from '~/core/changes'
import { Choice, type Option } from '../../kit/choice'
import { Field } from '../../kit/field'
import { NumberField } from '../../kit/number-field'
import { Tick } from '../../kit/tick'

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

function useField(path: string): {
  readonly set: (value: unknown) => void
  readonly error: string | null
} {
  const { set } = useContext(SheetContext)
  const finding = useFinding(path)
  return {
    set: (value) => set(path, value),
    error: finding?.level === 'stop' ? finding.says : null,
  }
}

export function TextIn({
  path,
  label,
  value,
  width = 180,
  help,
}: FieldProps & { readonly value: string }) {
  const { set, error } = useField(path)
  return (
    <Field
      label={label}
      value={value}
      onChange={set}
      error={error}
      help={help}
      width={width}
      mono
    />
  )
}

export function NumberIn({
  path,
  label,
  value,
  width = 110,
  help,
  max = 10_000,
}: FieldProps & { readonly value: number | undefined; readonly max?: number }) {
  const { set, error } = useField(path)
  return (
    <NumberField
      label={label}
      value={value}
      onChange={(next) =>
        set(next === undefined ? undefined : Math.max(0, Math.min(max, Math.trunc(next))))
      }
      error={error}
      help={help}
      width={width}
      max={max}
    />
  )
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
  empty,
  onPick,
}: SelectProps) {
  const { set, error } = useField(path)
  return (
    <Choice
      label={label}
      value={value}
      options={options}
      onChange={onPick ?? set}
      error={error}
      help={help}
      width={width}
      empty={empty}
    />
  )
}

export function CheckIn({ path, label, value }: FieldProps & { readonly value: boolean }) {
  const { set } = useField(path)
  return <Tick label={label} checked={value} onChange={set} />
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
