/**
 * What the page has sent and not heard of, counted at the very call: what React has drawn of it comes later, and a page
 * read again in between would make the router drop where an answer leads to.
 */
import type { ClientInstrumentation } from 'react-router'

let calls = 0

/** Whether anything sent, read by a part of the page or gone to is still under way. */
export const isUnderway = (): boolean => calls > 0

async function counted(call: () => Promise<unknown>): Promise<void> {
  calls++
  try {
    await call()
  } finally {
    calls--
  }
}

export const countUnderway: ClientInstrumentation = {
  router: ({ instrument }) => instrument({ fetch: counted, navigate: counted }),
}
