/** What a thread that has nothing to do holds and needs no more: given back, so that memory settles where it is needed. */
import { setFlagsFromString } from 'node:v8'
import { runInNewContext } from 'node:vm'

/** So long a thread has had nothing to do (ms). */
const idleMs = 2000

/**
 * A function to call whenever the thread has done something: once nothing follows for two seconds, its garbage is
 * collected whole. V8 leaves that undone in a thread that stands still, however much it holds.
 */
export function givingBack(): () => void {
  setFlagsFromString('--expose-gc')
  const collect = runInNewContext('gc') as () => void
  let timer: NodeJS.Timeout | null = null
  return () => {
    if (timer) timer.refresh()
    else
      timer = setTimeout(() => {
        timer = null
        collect()
      }, idleMs).unref()
  }
}
