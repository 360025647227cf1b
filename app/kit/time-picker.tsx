import { AdapterLuxon } from '@mui/x-date-pickers/AdapterLuxon'
import { DesktopTimePicker } from '@mui/x-date-pickers/DesktopTimePicker'
import { LocalizationProvider } from '@mui/x-date-pickers/LocalizationProvider'
import { DateTime } from 'luxon'
import { type PickerProps, pickerSlots } from './picker-parts'

export default function TimePicker(props: PickerProps) {
  const { value, label, onChange, autoFocus = false } = props
  return (
    <LocalizationProvider dateAdapter={AdapterLuxon} adapterLocale="en-GB">
      <DesktopTimePicker
        label={label}
        autoFocus={autoFocus}
        ampm={false}
        timezone="UTC"
        value={value === '' ? null : DateTime.fromFormat(value, 'HH:mm', { zone: 'utc' })}
        onChange={(time) => {
          if (time?.isValid) onChange(time.toFormat('HH:mm'))
        }}
        slotProps={pickerSlots(props)}
      />
    </LocalizationProvider>
  )
}
