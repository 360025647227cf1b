/** A value of what was observed, in one line. */
export const shown = (value: unknown): string => {
  if (value === null || value === undefined) return '—'
  if (typeof value === 'string') return value
  const text = JSON.stringify(value)
  return text.length > 160 ? `${text.slice(0, 157)}…` : text
}
