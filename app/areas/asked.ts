/** What a page’s action is asked: the one reader of forms and JSON, checked before anything is done with it. */
import { z } from 'zod'
import { checkText } from '~/server/bodies/controls'
import { Refusal, refuseIssues } from '~/server/changes/errors'

function fitting<T>(given: unknown, schema: z.ZodType<T>): T {
  const read = schema.safeParse(given)
  if (!read.success) throw refuseIssues(read.error.issues)
  return read.data
}

/** The body as a schema has it. Refuses what is no JSON, or does not fit. */
export async function askedJson<T>(request: Request, schema: z.ZodType<T>): Promise<T> {
  const body: unknown = await request.json().catch(() => {
    throw new Refusal('invalid', 'The body is no JSON.')
  })
  return fitting(body, schema)
}

/** The fields of a form as a schema has them: a field that stands several times is a list. */
export async function askedForm<T>(request: Request, schema: z.ZodType<T>): Promise<T> {
  const form = await request.formData().catch(() => {
    throw new Refusal('invalid', 'The body is no form.')
  })
  const given: Record<string, unknown> = {}
  for (const name of new Set(form.keys())) {
    const values = form.getAll(name)
    for (const value of values) if (typeof value === 'string') checkText(value, name.slice(0, 60))
    given[name] = values.length > 1 ? values : values[0]
  }
  return fitting(given, schema)
}

/** A text field of a form; absent is empty. */
export const field = (max = 300) =>
  z.string({ error: 'Give text.' }).max(max, `At most ${max} characters.`).default('')

/** A field that may stand any number of times. */
export const fields = z
  .union([z.string().transform((value) => [value]), z.array(z.string())], {
    error: 'Give text.',
  })
  .default([])

/** A field whose text is JSON. Absent is nothing. */
export const jsonField = z
  .string({ error: 'Give text.' })
  .default('null')
  .transform((text, context): unknown => {
    try {
      return JSON.parse(text) as unknown
    } catch {
      context.addIssue({ code: 'custom', message: 'It is no JSON.' })
      return z.NEVER
    }
  })
