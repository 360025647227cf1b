/** What a thread holds and needs no more: given back, so that memory settles where it is needed. */
import { Session } from 'node:inspector'
import { getHeapStatistics, setFlagsFromString } from 'node:v8'
import { runInNewContext } from 'node:vm'

/** So long a thread has had nothing to do, and so often one that is busy is looked at (ms). */
const idleMs = 2000

/** What a busy thread may hold above twice what it needed (bytes). */
const slackBytes = 16 * 2 ** 20

type Collect = (done: () => void) => void

/** Collects all garbage; what the heap has grown to for new objects stays. A tenth of a second for 100 MiB in use. */
function collector(): Collect {
  setFlagsFromString('--expose-gc')
  const collect = runInNewContext('gc') as () => void
  return (done) => {
    collect()
    done()
  }
}

/** Collects all garbage, several times, and lets go of all the room that is left: dearer, for small heaps. */
const shrink: Collect = (done) => {
  const session = new Session()
  session.connect()
  session.post('HeapProfiler.collectGarbage', () => {
    // A session that is left from within its own answer waits for itself for ever.
    setImmediate(() => {
      session.disconnect()
      done()
    })
  })
}

/**
 * A function to call whenever the thread has done something. Its garbage is collected whole once nothing follows for
 * two seconds, which V8 leaves undone in a thread that stands still, however much it holds. A thread that is never
 * left alone is collected when it has come to hold twice what it needed: a simulation that runs for days does not grow
 * to what its young generation may be. With `shrinks` the room for new objects goes too.
 */
export function givingBack({ shrinks = false } = {}): () => void {
  const collect = shrinks ? shrink : collector()
  let idle: NodeJS.Timeout | null = null
  let neededBytes = getHeapStatistics().used_heap_size
  let lookedAt = performance.now()
  let isCollecting = false
  const giveBack = (): void => {
    if (isCollecting) return
    isCollecting = true
    collect(() => {
      isCollecting = false
      neededBytes = getHeapStatistics().used_heap_size
    })
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
