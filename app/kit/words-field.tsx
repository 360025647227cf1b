import { useState } from 'react'
import { Field, type FieldProps } from './field'

/** Words parted by spaces, commas or lines; told once the field is left, so that half a word is never judged. */
export function WordsField({
  value,
  onChange,
  ...shared
}: Pick<
  FieldProps,
  'label' | 'help' | 'error' | 'width' | 'hideLabel' | 'mono' | 'placeholder' | 'rows'
> & {
  readonly value: readonly string[]
  readonly onChange: (words: readonly string[]) => void
}) {
  const given = value.join(' ')
  const [seen, setSeen] = useState(given)
  const [text, setText] = useState(given)
  // What was given anew replaces what stands here.
  if (seen !== given) {
    setSeen(given)
    setText(given)
  }
  return (
    <Field
      {...shared}
      value={text}
      onChange={setText}
      onBlur={() => {
        if (text !== given) onChange(text.split(/[\s,]+/).filter((word) => word !== ''))
      }}
    />
  )
}
