/** What a thread holds and needs no more: given back, so that memory settles where it is needed. */
import { getHeapStatistics, setFlagsFromString } from 'node:v8'
import { runInNewContext } from 'node:vm'

/** So long a thread has had nothing to do, and so often one that is busy is looked at (ms). */
const idleMs = 2000

/** What a busy thread may hold above twice what it needed (bytes). */
const slackBytes = 16 * 2 ** 20

/**
 * A function to call whenever the thread has done something. Its garbage is collected whole once nothing follows for
 * two seconds, which V8 leaves undone in a thread that stands still, however much it holds. A thread that is never
 * left alone is collected when it has come to hold twice what it needed: a simulation that runs for days does not grow
 * to what its young generation may be.
 */
export function givingBack(): () => void {
  setFlagsFromString('--expose-gc')
  const collect = runInNewContext('gc') as () => void
  let idle: NodeJS.Timeout | null = null
  let neededBytes = getHeapStatistics().used_heap_size
  let lookedAt = performance.now()
  const giveBack = (): void => {
    collect()
    neededBytes = getHeapStatistics().used_heap_size
  }
  return () => {
    if (idle) idle.refresh()
    else
      idle = setTimeout(() => {
        idle = null
        giveBack()
      }, idleMs).unref()
    const now = performance.now()
    if (now - lookedAt < idleMs) return
    lookedAt = now
    if (getHeapStatistics().total_heap_size > 2 * neededBytes + slackBytes) giveBack()
  }
}
