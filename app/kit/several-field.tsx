import Autocomplete from '@mui/material/Autocomplete'
import TextField from '@mui/material/TextField'
import { type FieldProps, fieldParts } from './field'

/** Several of the things offered; each chosen one stands in the field and can be taken out of it. */
export function SeveralField({
  value,
  options,
  onChange,
  placeholder,
  ...shared
}: Pick<FieldProps, 'label' | 'help' | 'error' | 'width' | 'mono' | 'placeholder'> & {
  readonly value: readonly string[]
  readonly options: readonly string[]
  readonly onChange: (chosen: readonly string[]) => void
}) {
  const parts = fieldParts(shared)
  return (
    <Autocomplete<string, true, false, false>
      multiple
      filterSelectedOptions
      options={[...new Set([...options, ...value])]}
      value={[...value]}
      onChange={(_event, chosen) => onChange(chosen)}
      size="small"
      sx={{ width: shared.width ?? 320 }}
      renderInput={(params) => (
        <TextField
          {...params}
          {...parts}
          placeholder={value.length === 0 ? (placeholder ?? '') : ''}
          slotProps={{
            ...params.slotProps,
            input: { ...params.slotProps.input, ...parts.slotProps.input },
            inputLabel: { ...params.slotProps.inputLabel, shrink: true },
            htmlInput: { ...params.slotProps.htmlInput, ...parts.slotProps.htmlInput },
          }}
        />
      )}
    />
  )
}
