/** Entry of the worker threads for heavy computations. */
import { computationNamed, type Computed } from './computations'
import { computeText, type TextAnswer } from './large'

export type ThreadTask =
  | { readonly name: string; readonly input: unknown }
  | { readonly name: string; readonly body: Uint8Array }

export default function compute(task: ThreadTask): Computed | TextAnswer {
  if ('body' in task) return computeText(task.name, task.body)
  const computation = computationNamed(task.name)
  return computation
    ? computation.compute(task.input)
    : { ok: false, path: '', says: `there is no computation ${task.name}` }
}
