/** What a stateless computation is: a schema of its input and a core function. */
import { z } from 'zod'
import { ordinaryBytes } from '../bodies/limits'

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
  /** How large its input may be, unpacked. */
  readonly mostBytes: number
  readonly compute: (input: unknown) => Computed | Promise<Computed>
}

export function computation<Input>(of: {
  name: string
  says: string
  input: z.ZodType<Input, unknown>
  output: z.ZodType
  /** Of those that take what is large by nature. */
  mostMiB?: 64 | 256
  compute: (input: Input) => Computed | Promise<Computed>
}): Computation {
  return {
    name: of.name,
    says: of.says,
    input: of.input,
    output: of.output,
    mostBytes: of.mostMiB === undefined ? ordinaryBytes : of.mostMiB * 1024 ** 2,
    compute: (input) => of.compute(input as Input),
  }
}

export const value = (match: unknown): Computed => ({ ok: true, value: match })
export const wrong = (path: string, says: string): Computed => ({ ok: false, path, says })

/** What a reader of the core refused, as the answer of a computation. */
export const refused = ({
  path,
  says,
  tooLarge = false,
}: {
  readonly path: string
  readonly says: string
  readonly tooLarge?: boolean | undefined
}): Computed => ({ ok: false, path, says, tooLarge })

/** The objects of a cluster, as exported. */
export const objects = z.array(z.unknown()).max(500_000)

export const instant = z.iso.datetime({
  offset: true,
  error: 'Write an instant like 2026-03-01T00:00:00Z.',
})
