import Autocomplete from '@mui/material/Autocomplete'
import TextField from '@mui/material/TextField'
import { type FieldProps, fieldParts } from './field'

/** A text of which the likely ones are offered; any other can be typed. */
export function SuggestField({
  name,
  value,
  defaultValue,
  onChange,
  placeholder,
  suggestions,
  ...shared
}: Pick<
  FieldProps,
  | 'label'
  | 'name'
  | 'value'
  | 'defaultValue'
  | 'onChange'
  | 'placeholder'
  | 'help'
  | 'error'
  | 'width'
  | 'hideLabel'
  | 'mono'
> & { readonly suggestions: readonly string[] }) {
  const parts = fieldParts(shared)
  return (
    <Autocomplete<string, false, true, true>
      freeSolo
      disableClearable
      options={[...suggestions]}
      {...(value === undefined ? { defaultValue: defaultValue ?? '' } : { inputValue: value })}
      onInputChange={(_event, text) => onChange?.(text)}
      size="small"
      sx={{ width: shared.width ?? 180 }}
      renderInput={(params) => (
        <TextField
          {...params}
          {...parts}
          name={name}
          placeholder={placeholder}
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
