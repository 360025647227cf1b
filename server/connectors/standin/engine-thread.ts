/** Entry of the simulator’s own worker thread: one question in, one answer out. */
import { parentPort } from 'node:worker_threads'
import { givingBack } from '~/server/give-back'
import { Engine, type Question } from './engine'

const engine = new Engine()
const giveBack = givingBack({ shrinks: true })

parentPort?.on('message', ({ id, question }: { id: number; question: Question }) => {
  try {
    parentPort?.postMessage({ id, answer: engine.answer(question) })
  } catch (error) {
    parentPort?.postMessage({
      id,
      error: error instanceof Error ? (error.stack ?? error.message) : String(error),
    })
  }
  giveBack()
})
