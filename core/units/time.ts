/** Points in time as text. */

/** ISO 8601 in UTC, whole seconds: `2026-03-02T06:30:00Z`. */
export const isoTime = (ms: number): string => new Date(ms).toISOString().replace(/\.\d+Z$/, 'Z')
