/** One out of a long list: typed into sooner than read. */
import Autocomplete from '@mui/material/Autocomplete'
import TextField from '@mui/material/TextField'
import { Hidden } from './ask-form'
import type { ChoiceProps, Option } from './option'
import { fieldParts } from './field'

export default function TypedChoice({
  name,
  all,
  value,
  onChange,
  empty,
  disabled,
  ...shared
}: Omit<ChoiceProps, 'options' | 'onBlur'> & { readonly all: Option[]; readonly value: string }) {
  const parts = fieldParts(shared)
  return (
    <>
      {name === undefined ? null : <Hidden name={name} value={value} />}
      <Autocomplete<Option, false, boolean, false>
        options={all}
        value={all.find((option) => option.value === value) ?? null}
        getOptionLabel={(option) => option.says}
        getOptionKey={(option) => option.value}
        isOptionEqualToValue={(option, chosen) => option.value === chosen.value}
        onChange={(_event, option) => onChange?.(option?.value ?? '')}
        disableClearable={empty === undefined && value !== ''}
        disabled={disabled ?? false}
        autoHighlight
        size="small"
        noOptionsText="Nothing of that name."
        renderInput={(params) => (
          <TextField
            {...params}
            {...parts}
            placeholder={empty ?? 'choose'}
            slotProps={{
              ...params.slotProps,
              inputLabel: { ...params.slotProps.inputLabel, shrink: true },
              htmlInput: {
                ...params.slotProps.htmlInput,
                ...(shared.hideLabel === true ? { 'aria-label': shared.label } : {}),
              },
            }}
          />
        )}
        sx={{ width: shared.width ?? 180 }}
      />
    </>
  )
}
