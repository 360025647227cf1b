/** A few that are all seen at once: one of them, or several. */
import ToggleButton from '@mui/material/ToggleButton'
import ToggleButtonGroup from '@mui/material/ToggleButtonGroup'

export function Toggles<Value extends string>({
  label,
  options,
  chosen,
  onChange,
}: {
  readonly label: string
  readonly options: readonly Value[]
  readonly chosen: readonly Value[]
  /** Told all that are chosen, in the order of the options. */
  readonly onChange: (chosen: readonly Value[]) => void
}) {
  return (
    <ToggleButtonGroup
      size="small"
      aria-label={label}
      value={[...chosen]}
      onChange={(_event, next: Value[]) =>
        onChange(options.filter((option) => next.includes(option)))
      }
    >
      {options.map((option) => (
        <ToggleButton key={option} value={option}>
          {option}
        </ToggleButton>
      ))}
    </ToggleButtonGroup>
  )
}

export function Toggle<Value extends string>({
  label,
  options,
  value,
  onChange,
}: {
  readonly label: string
  readonly options: readonly Value[]
  readonly value: Value
  readonly onChange: (value: Value) => void
}) {
  return (
    <ToggleButtonGroup
      size="small"
      exclusive
      aria-label={label}
      value={value}
      onChange={(_event, next: Value | null) => {
        if (next !== null) onChange(next)
      }}
    >
      {options.map((option) => (
        <ToggleButton key={option} value={option}>
          {option}
        </ToggleButton>
      ))}
    </ToggleButtonGroup>
  )
}
