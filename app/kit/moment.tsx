/** Days and times of day, in the time zone that is named beside them. */
import { AdapterLuxon } from '@mui/x-date-pickers/AdapterLuxon'
import { DatePicker } from '@mui/x-date-pickers/DatePicker'
import { DateTimePicker } from '@mui/x-date-pickers/DateTimePicker'
import { LocalizationProvider } from '@mui/x-date-pickers/LocalizationProvider'
import { TimePicker } from '@mui/x-date-pickers/TimePicker'
import { DateTime } from 'luxon'
import { useAwake } from './awake'
import { Field } from './field'

interface MomentProps {
  readonly label: string
  readonly onChange: (text: string) => void
  readonly width?: number
  readonly help?: string
  readonly error?: string | null | undefined
}

const slotProps = ({ label, width = 160, help, error }: MomentProps) => ({
  textField: {
    label,
    size: 'small' as const,
    sx: { width },
    error: error !== undefined && error !== null,
    helperText: error ?? help,
    slotProps: { inputLabel: { shrink: true } },
  },
  openPickerButton: { size: 'small' as const },
})

/** A time of day as `HH:mm`. */
export function TimeOfDay(props: MomentProps & { readonly value: string }) {
  const { value, label, onChange } = props
  const isAwake = useAwake()
  if (!isAwake) return <Field label={label} value={value} width={props.width ?? 130} />
  return (
    <LocalizationProvider dateAdapter={AdapterLuxon} adapterLocale="en-GB">
      <TimePicker
        label={label}
        ampm={false}
        timezone="UTC"
        value={value === '' ? null : DateTime.fromFormat(value, 'HH:mm', { zone: 'utc' })}
        onChange={(time) => {
          if (time?.isValid) onChange(time.toFormat('HH:mm'))
        }}
        slotProps={slotProps({ width: 130, ...props })}
      />
    </LocalizationProvider>
  )
}

/** A day as `yyyy-MM-dd`. */
export function Day(props: MomentProps & { readonly value: string }) {
  const { value, label, onChange } = props
  const isAwake = useAwake()
  if (!isAwake) return <Field label={label} value={value} width={props.width ?? 160} />
  return (
    <LocalizationProvider dateAdapter={AdapterLuxon} adapterLocale="en-GB">
      <DatePicker
        label={label}
        timezone="UTC"
        value={value === '' ? null : DateTime.fromISO(value, { zone: 'utc' })}
        onChange={(day) => {
          if (day?.isValid) onChange(day.toFormat('yyyy-MM-dd'))
        }}
        slotProps={slotProps(props)}
      />
    </LocalizationProvider>
  )
}

/** A moment, told and given as an ISO instant, shown in the zone that is named. */
export function Moment(props: MomentProps & { readonly value: string; readonly zone: string }) {
  const { value, label, onChange, zone } = props
  const isAwake = useAwake()
  const says = `${label}, ${zone}`
  if (!isAwake) return <Field label={says} value={value} width={props.width ?? 210} />
  return (
    <LocalizationProvider dateAdapter={AdapterLuxon} adapterLocale="en-GB">
      <DateTimePicker
        label={says}
        ampm={false}
        timezone={zone}
        value={value === '' ? null : DateTime.fromISO(value, { zone })}
        onChange={(moment) => {
          if (moment?.isValid) onChange(moment.toUTC().toISO() ?? value)
        }}
        slotProps={slotProps({ width: 210, ...props, label: says })}
      />
    </LocalizationProvider>
  )
}
