import type { FieldProps } from './field'

export interface Option {
  readonly value: string
  readonly says: string
}

export interface ChoiceProps extends Pick<
  FieldProps,
  'label' | 'name' | 'help' | 'error' | 'width' | 'hideLabel' | 'mono' | 'disabled' | 'onBlur'
> {
  readonly options: readonly (string | Option)[]
  readonly value?: string | undefined
  readonly defaultValue?: string | undefined
  readonly onChange?: ((value: string) => void) | undefined
  /** What stands where nothing is chosen; without it something always is. */
  readonly empty?: string | undefined
  /** Unfolds however long it is; letters typed into it go to what begins with them. */
  readonly unfolds?: boolean | undefined
}
