/** What the pickers of days and times share. */
export interface PickerProps {
  readonly label: string
  readonly value: string
  readonly onChange: (text: string) => void
  readonly width?: number
  readonly help?: string
  readonly error?: string | null | undefined
  /** It takes the focus as it comes. */
  readonly autoFocus?: boolean
}

export const pickerSlots = ({ label, width = 160, help, error }: PickerProps) => ({
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
