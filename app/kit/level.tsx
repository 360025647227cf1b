import Slider from '@mui/material/Slider'

/** A level that is drawn by hand, moved by mouse or arrows: upright, or along a line. */
export function Level({
  label,
  value,
  max,
  step,
  unit,
  isFlat = false,
  text,
  onChange,
}: {
  readonly label: string
  readonly value: number
  readonly max: number
  readonly step: number
  readonly unit: string
  readonly isFlat?: boolean
  /** How a level is told; else by its number and unit. */
  readonly text?: (level: number) => string
  readonly onChange: (value: number) => void
}) {
  return (
    <Slider
      orientation={isFlat ? 'horizontal' : 'vertical'}
      size="small"
      track="normal"
      value={value}
      min={0}
      max={max}
      step={step}
      getAriaLabel={() => label}
      getAriaValueText={(level) => text?.(level) ?? `${level} ${unit}`}
      valueLabelDisplay="auto"
      {...(text ? { valueLabelFormat: text } : {})}
      onChange={(_event, level) => onChange(Array.isArray(level) ? (level[0] ?? 0) : level)}
    />
  )
}
