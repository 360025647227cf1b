/** Pages on the server: rendered whole, with their styles in the head, so that nothing moves when they wake up. */
import createEmotionServer from '@emotion/server/create-instance'
import { CacheProvider } from '@emotion/react'
import { renderToString } from 'react-dom/server'
import { type EntryContext, type RouterContextProvider, ServerRouter } from 'react-router'
import { nonceContext } from './context'
import { styleCache } from './theme/style-cache'

export default function handleRequest(request: Request, status: number, headers: Headers, entry: EntryContext, context: RouterContextProvider): Response {
  const nonce = context.get(nonceContext)
  const cache = styleCache()
  const { extractCriticalToChunks, constructStyleTagsFromChunks } = createEmotionServer(cache)
  const markup = renderToString(
    <CacheProvider value={cache}>
      <ServerRouter context={entry} url={request.url} nonce={nonce} />
    </CacheProvider>,
  )
  const styles = constructStyleTagsFromChunks(extractCriticalToChunks(markup))
  headers.set('Content-Type', 'text/html; charset=utf-8')
  headers.set('Cache-Control', 'no-store')
  return new Response(`<!DOCTYPE html>${markup.replace('</head>', `${styles}</head>`)}`, { status, headers })
}
