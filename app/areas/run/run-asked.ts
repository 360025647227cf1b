/** What the action of the page is asked. */
import { z } from 'zod'
import { field, fields, jsonField } from '../asked'

const given = z
  .string()
  .max(300)
  .optional()
  .transform((value) => (value === '' ? undefined : value))
export const acting = z.object({
  do: field(),
  accept: fields,
  confirm: fields,
  with: fields,
  planDigest: given,
  at: given,
  window: given,
  machine: field(),
  intent: jsonField,
})
