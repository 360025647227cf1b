import { labelTexts } from '~/core/fleet'
import type { FieldProps } from './field'
import { WordsField } from './words-field'

export type Labels = Readonly<Record<string, string>>

/** The labels that words give; of a key that is given twice the later one holds. */
export const labelsOf = (words: readonly string[]): Labels =>
  Object.fromEntries(
    words.map((word) => {
      const at = word.indexOf('=')
      return at === -1 ? [word, ''] : [word.slice(0, at), word.slice(at + 1)]
    }),
  )

/** Names with values, parted by spaces; told once the field is left. */
export function LabelsField({
  value,
  onChange,
  ...shared
}: Pick<FieldProps, 'label' | 'help' | 'error' | 'width'> & {
  readonly value: Labels
  readonly onChange: (labels: Labels) => void
}) {
  return (
    <WordsField
      {...shared}
      mono
      value={labelTexts(value)}
      placeholder="none"
      onChange={(words) => onChange(labelsOf(words))}
    />
  )
}
