/** A receiver to try notices on without any of one’s own: hosts of the example names answer here, by the path they are asked. */
import type { BlockList } from 'node:net'
import { overNetwork, type Post, type Posted } from './post'
import { said } from './says'

/** Names under this are never found on any network (RFC 2606). */
export const isExample = (url: string): boolean => /\.example$/i.test(new URL(url).hostname)

/** `/slow` does not answer in time, `/moved` leads inside, `/down` fails; anything else is taken. */
export const exampleReceiver: Post = (url): Promise<Posted> => {
  const { pathname, hostname } = new URL(url)
  const answers: Readonly<Record<string, Posted>> = {
    '/slow': { delivered: false, status: null, says: said('slow', { seconds: 5 }).says },
    '/moved': { delivered: false, status: 302, says: said('redirects', { status: 302 }).says },
    '/down': {
      delivered: false,
      status: null,
      says: said('unreached', { host: hostname, code: 'ECONNREFUSED' }).says,
    },
  }
  return Promise.resolve(
    answers[pathname] ?? {
      delivered: true,
      status: 204,
      says: said('answered', { status: 204 }).says,
    },
  )
}

/** Example names are answered here, everything else goes over the network. */
export const sending = (allowed: BlockList): Post => {
  const send = overNetwork(allowed)
  return (url, headers, body) =>
    isExample(url) ? exampleReceiver(url, headers, body) : send(url, headers, body)
}
