/** Entry of the thread that judges: it keeps the slices it was sent, and answers one task after another. */
import { parentPort } from 'node:worker_threads'
import { givingBack } from '../give-back'
import { ListsHeld, type ListMessage } from './lists'
import { type Frame, viewOf } from './slices'
import { answerTask, type Task } from './tasks'

export type ToJudge =
  | ListMessage
  | { readonly what: 'slice'; readonly key: string; readonly value: unknown }
  | { readonly what: 'task'; readonly id: number; readonly task: Task; readonly frame: Frame }

export type FromJudge =
  | { readonly id: number; readonly answer: unknown }
  | { readonly id: number; readonly error: string }

const slices = new Map<string, unknown>()
const lists = new ListsHeld()
const giveBack = givingBack()

parentPort?.on('message', (message: ToJudge) => {
  if (message.what === 'slice') {
    if (message.value === undefined) {
      slices.delete(message.key)
      lists.drop(message.key)
    } else slices.set(message.key, message.value)
    return
  }
  if (message.what !== 'task') {
    const list = lists.take(message)
    if (list) slices.set(message.key, list)
    return
  }
  const { id, task, frame } = message
  let told: FromJudge
  try {
    told = { id, answer: answerTask(task, viewOf(frame, slices)) }
  } catch (error) {
    told = {
      id,
      error: error instanceof Error ? (error.stack ?? error.message) : String(error),
    }
  }
  parentPort?.postMessage(told)
  giveBack()
})
