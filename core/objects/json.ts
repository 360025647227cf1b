/** Values of which nothing is known yet, read one step at a time: what is not as asked for reads as empty. */

export type Json = Readonly<Record<string, unknown>>

export const isRecord = (value: unknown): value is Record<string, unknown> =>
  typeof value === 'object' && value !== null && !Array.isArray(value)

/** The fields of a value, none where it is no record. */
export const record = (value: unknown): Json => (isRecord(value) ? value : {})

/** The items of a value, none where it is no list. */
export const list = (value: unknown): readonly unknown[] => (Array.isArray(value) ? value : [])

/** The items of a list as records. */
export const records = (value: unknown): readonly Json[] => list(value).map(record)

/** A value that is text; empty where it is none. */
export const text = (value: unknown): string => (typeof value === 'string' ? value : '')

/** The items of a list that are text. */
export const texts = (value: unknown): readonly string[] =>
  list(value).filter((item): item is string => typeof item === 'string')

/** Any value as text, as it is quoted in a sentence: what is no plain value as JSON, whatever its fields are called. */
export const asText = (value: unknown): string =>
  typeof value === 'object' && value !== null ? JSON.stringify(value) : String(value)
