/** Entry of the worker threads for heavy computations. */
import { computationNamed, type Computed } from './computations'

export default function compute({ name, input }: { name: string; input: unknown }): Computed {
  const found = computationNamed(name)
  return found ? found.compute(input) : { ok: false, path: '', says: `there is no computation ${name}` }
}
