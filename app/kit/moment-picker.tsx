import { AdapterLuxon } from '@mui/x-date-pickers/AdapterLuxon'
import { DesktopDateTimePicker } from '@mui/x-date-pickers/DesktopDateTimePicker'
import { LocalizationProvider } from '@mui/x-date-pickers/LocalizationProvider'
import { DateTime } from 'luxon'
import { type PickerProps, pickerSlots } from './picker-parts'

export default function MomentPicker(props: PickerProps) {
  const { value, label, onChange, autoFocus = false } = props
  return (
    <LocalizationProvider dateAdapter={AdapterLuxon} adapterLocale="en-GB">
      <DesktopDateTimePicker
        label={label}
        autoFocus={autoFocus}
        ampm={false}
        timezone="UTC"
        views={['year', 'month', 'day', 'hours', 'minutes']}
        value={value === '' ? null : DateTime.fromISO(value, { zone: 'utc' })}
        onChange={(moment) => {
          if (moment?.isValid) onChange(moment.toUTC().toFormat("yyyy-MM-dd'T'HH:mm:ss'Z'"))
        }}
        slotProps={pickerSlots(props)}
      />
    </LocalizationProvider>
  )
}
