/** Entry of the thread that judges: it keeps the slices it was sent, and answers one question after another. */
import { parentPort } from 'node:worker_threads'
import { kindNamed, type Needs } from '~/core/kinds'
import { judge, type Judged, unseenBy } from './judge'
import { type Frame, viewOf } from './slices'

export type ToJudge =
  | { readonly what: 'slice'; readonly key: string; readonly value: unknown }
  | {
      readonly what: 'judge'
      readonly id: number
      readonly kind: string
      readonly intent: unknown
      readonly seen: Needs
      readonly frame: Frame
    }

export type FromJudge =
  | { readonly id: number; readonly judged: Judged }
  | { readonly id: number; readonly needs: Needs }
  | { readonly id: number; readonly error: string }

const slices = new Map<string, unknown>()

function answer(question: Extract<ToJudge, { what: 'judge' }>): FromJudge {
  const { id, kind, intent, seen, frame } = question
  const read = kindNamed(kind)?.read(intent)
  if (!read?.ok) return { id, error: `a draft of ${kind} cannot be read` }
  const view = viewOf(frame, slices)
  const needs = unseenBy(read.draft, view, seen)
  return needs ? { id, needs } : { id, judged: judge(read.draft, view) }
}

parentPort?.on('message', (message: ToJudge) => {
  if (message.what === 'slice') {
    if (message.value === undefined) slices.delete(message.key)
    else slices.set(message.key, message.value)
    return
  }
  let told: FromJudge
  try {
    told = answer(message)
  } catch (error) {
    told = {
      id: message.id,
      error: error instanceof Error ? (error.stack ?? error.message) : String(error),
    }
  }
  parentPort?.postMessage(told)
})
