/** A computation from the bytes of a body to the text of an answer, in one place, so that none of it passes the event loop. */
import { jsonOf } from '../bodies/json'
import type { JsonLimits } from '../bodies/limits'
import { Refusal, refuseIssues } from '../changes/errors'
import { computationNamed } from './computations'

export type TextAnswer =
  | { readonly ok: true; readonly text: string }
  | {
      readonly ok: false
      readonly says: string
      readonly fields: readonly { readonly path: string; readonly says: string }[]
      readonly tooLarge: boolean
    }

const asAnswer = ({ code, message, fields }: Refusal): TextAnswer => ({
  ok: false,
  says: message,
  fields,
  tooLarge: code === 'too-large',
})

const refused = (says: string): TextAnswer => ({
  ok: false,
  says,
  fields: [{ path: '', says }],
  tooLarge: false,
})

/** From the bytes of a body to the text of the answer, or to why there is none. */
export async function computeText(
  name: string,
  body: Uint8Array,
  limits: JsonLimits,
): Promise<TextAnswer> {
  const computation = computationNamed(name)
  if (!computation) return refused(`There is no computation ${name.slice(0, 80)}.`)
  let given: unknown
  try {
    given = jsonOf(body, limits)
  } catch (error) {
    if (error instanceof Refusal) return asAnswer(error)
    throw error
  }
  const read = computation.input.safeParse(given)
  if (!read.success) return asAnswer(refuseIssues(read.error.issues))
  const computed = await computation.compute(read.data)
  if (computed.ok) return { ok: true, text: JSON.stringify(computed.value) }
  const says = `${computed.path === '' ? '' : `${computed.path}: `}${computed.says}`
  return {
    ok: false,
    says,
    fields: [{ path: computed.path, says: computed.says }],
    tooLarge: computed.tooLarge === true,
  }
}
