import Slider from '@mui/material/Slider'

/** A level that is drawn by hand: upright, moved by mouse or arrows. */
export function Level({
  label,
  value,
  max,
  step,
  unit,
  onChange,
}: {
  readonly label: string
  readonly value: number
  readonly max: number
  readonly step: number
  readonly unit: string
  readonly onChange: (value: number) => void
}) {
  return (
    <Slider
      orientation="vertical"
      size="small"
      track="normal"
      value={value}
      min={0}
      max={max}
      step={step}
      getAriaLabel={() => label}
      getAriaValueText={(level) => `${level} ${unit}`}
      valueLabelDisplay="auto"
      onChange={(_event, level) => onChange(Array.isArray(level) ? (level[0] ?? 0) : level)}
    />
  )
}
