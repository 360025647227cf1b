import { AdapterLuxon } from '@mui/x-date-pickers/AdapterLuxon'
import { DesktopDatePicker } from '@mui/x-date-pickers/DesktopDatePicker'
import { LocalizationProvider } from '@mui/x-date-pickers/LocalizationProvider'
import { DateTime } from 'luxon'
import { useAwake } from './awake'
import { Field } from './field'
import { type PickerProps, pickerSlots } from './picker-parts'

/** A day as `yyyy-MM-dd`, in UTC. */
export function Day(props: PickerProps) {
  const { value, label, onChange, width = 160 } = props
  const isAwake = useAwake()
  if (!isAwake) return <Field label={label} value={value} width={width} />
  return (
    <LocalizationProvider dateAdapter={AdapterLuxon} adapterLocale="en-GB">
      <DesktopDatePicker
        label={label}
        timezone="UTC"
        value={value === '' ? null : DateTime.fromISO(value, { zone: 'utc' })}
        onChange={(day) => {
          if (day?.isValid) onChange(day.toFormat('yyyy-MM-dd'))
        }}
        slotProps={pickerSlots({ ...props, width })}
      />
    </LocalizationProvider>
  )
}
