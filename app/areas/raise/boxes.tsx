/** Machines that stand there, chosen for a cluster with their disks and cards. */

export function Marks({
  label,
  value,
  placeholder,
  onChange,
}: {
  readonly label: string
  readonly value: readonly string[]
  readonly placeholder: string
  readonly onChange: (items: readonly string[]) => void
}) {
  return (
    <label className="plain-field">
      <span>{label}</span>
      <input
        key={value.join(' ')}
        defaultValue={value.join(' ')}
        placeholder={placeholder}
        onBlur={(event) =>
          onChange(event.target.value.split(/[\s,]+/).filter((item) => item !== ''))
        }
        className="journal-search mono"
        style={{ width: 205 }}
      />
    </label>
  )
}
