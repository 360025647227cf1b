import { AdapterLuxon } from '@mui/x-date-pickers/AdapterLuxon'
import { DesktopTimePicker } from '@mui/x-date-pickers/DesktopTimePicker'
import { LocalizationProvider } from '@mui/x-date-pickers/LocalizationProvider'
import { DateTime } from 'luxon'
import { useAwake } from './awake'
import { Field } from './field'
import { type PickerProps, pickerSlots } from './picker-parts'

/** A time of day as `HH:mm`. */
export function TimeOfDay(props: PickerProps) {
  const { value, label, onChange, width = 130 } = props
  const isAwake = useAwake()
  if (!isAwake) return <Field label={label} value={value} width={width} />
  return (
    <LocalizationProvider dateAdapter={AdapterLuxon} adapterLocale="en-GB">
      <DesktopTimePicker
        label={label}
        ampm={false}
        timezone="UTC"
        value={value === '' ? null : DateTime.fromFormat(value, 'HH:mm', { zone: 'utc' })}
        onChange={(time) => {
          if (time?.isValid) onChange(time.toFormat('HH:mm'))
        }}
        slotProps={pickerSlots({ ...props, width })}
      />
    </LocalizationProvider>
  )
}
