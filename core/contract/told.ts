import type { z } from 'zod'

/** The type of what a schema reads, as nobody may alter it: every list and record read-only, absent parts left out. */
export type Told<T> = unknown extends T
  ? T
  : T extends string | number | boolean | null | undefined
    ? T
    : T extends readonly (infer Item)[]
      ? readonly Told<Item>[]
      : { readonly [Key in keyof T]: Told<Exclude<T[Key], undefined>> }

/** Reads a report by its schema; throws where it is not of that shape: an error of the connector that tells it. */
export const readReport = <Schema extends z.ZodType>(
  schema: Schema,
  value: unknown,
): Told<z.output<Schema>> => schema.parse(value) as Told<z.output<Schema>>
