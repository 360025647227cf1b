/** Computations with large inputs: the body is read, computed and written in one place, so that none of it passes the event loop. */
import { refuseIssues } from '../changes/errors'
import { computationNamed } from './computations'

export type TextAnswer =
  | { readonly ok: true; readonly text: string }
  | {
      readonly ok: false
      readonly says: string
      readonly fields: readonly { readonly path: string; readonly says: string }[]
      readonly tooLarge: boolean
    }

const refused = (says: string, path = ''): TextAnswer => ({
  ok: false,
  says,
  fields: [{ path, says }],
  tooLarge: false,
})

/** From the bytes of a body to the text of the answer, or to why there is none. */
export function computeText(name: string, body: Uint8Array): TextAnswer {
  const computation = computationNamed(name)
  if (!computation) return refused(`There is no computation ${name.slice(0, 80)}.`)
  let given: unknown
  try {
    given = JSON.parse(new TextDecoder('utf-8', { fatal: true }).decode(body))
  } catch {
    return refused('The body is not valid JSON.')
  }
  const read = computation.input.safeParse(given)
  if (!read.success) {
    const refusal = refuseIssues(read.error.issues)
    return { ok: false, says: refusal.message, fields: refusal.fields, tooLarge: false }
  }
  const computed = computation.compute(read.data)
  if (computed.ok) return { ok: true, text: JSON.stringify(computed.value) }
  const says = `${computed.path === '' ? '' : `${computed.path}: `}${computed.says}`
  return {
    ok: false,
    says,
    fields: [{ path: computed.path, says: computed.says }],
    tooLarge: computed.tooLarge === true,
  }
}
