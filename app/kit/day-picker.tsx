import { AdapterLuxon } from '@mui/x-date-pickers/AdapterLuxon'
import { DesktopDatePicker } from '@mui/x-date-pickers/DesktopDatePicker'
import { LocalizationProvider } from '@mui/x-date-pickers/LocalizationProvider'
import { DateTime } from 'luxon'
import { type PickerProps, pickerSlots } from './picker-parts'

export default function DayPicker(props: PickerProps) {
  const { value, label, onChange, autoFocus = false } = props
  return (
    <LocalizationProvider dateAdapter={AdapterLuxon} adapterLocale="en-GB">
      <DesktopDatePicker
        label={label}
        autoFocus={autoFocus}
        timezone="UTC"
        value={value === '' ? null : DateTime.fromISO(value, { zone: 'utc' })}
        onChange={(day) => {
          if (day?.isValid) onChange(day.toFormat('yyyy-MM-dd'))
        }}
        slotProps={pickerSlots(props)}
      />
    </LocalizationProvider>
  )
}
