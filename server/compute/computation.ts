/** What a stateless computation is: a schema of its input and a core function. */
import { z } from 'zod'

export type Computed =
  | { readonly ok: true; readonly value: unknown }
  | {
      readonly ok: false
      readonly path: string
      readonly says: string
      readonly tooLarge?: boolean
    }

export interface Computation {
  readonly name: string
  readonly says: string
  readonly input: z.ZodType
  readonly output: z.ZodType
  /** Whether its input is large by nature: up to 256 MiB, read and computed apart from the event loop. */
  readonly large: boolean
  /** Whether this input may take longer than the event loop can spare. */
  readonly heavy: (input: unknown) => boolean
  readonly compute: (input: unknown) => Computed
}

export function computation<Input>(of: {
  name: string
  says: string
  input: z.ZodType<Input, unknown>
  output: z.ZodType
  large?: boolean
  heavy?: (input: Input) => boolean
  compute: (input: Input) => Computed
}): Computation {
  return {
    ...of,
    large: of.large === true,
    heavy: (input) => of.heavy?.(input as Input) ?? false,
    compute: (input) => of.compute(input as Input),
  }
}

export const value = (match: unknown): Computed => ({ ok: true, value: match })
export const wrong = (path: string, says: string): Computed => ({ ok: false, path, says })

/** The objects of a cluster, as exported. */
export const objects = z.array(z.unknown()).max(500_000)

export const instant = z.iso.datetime({
  offset: true,
  error: 'Write an instant like 2026-03-01T00:00:00Z.',
})
