/**
 * Pages on the server: rendered in pieces, sent whole with their styles in the head, so that nothing moves when they
 * wake up.
 * The streaming renderer is used for what it waits for (loader data is handed over through it), not for streaming.
 */
import { PassThrough } from 'node:stream'
import { text } from 'node:stream/consumers'
import createEmotionServer from '@emotion/server/create-instance'
import { CacheProvider } from '@emotion/react'
import { renderToPipeableStream } from 'react-dom/server'
import { type EntryContext, type RouterContextProvider, ServerRouter } from 'react-router'
import { breath } from '~/server/breath'
import { piecesOf } from '~/server/pages/pieces'
import { nonceContext } from './context'
import { TurnContext } from './kit/turn'
import { styleCache } from './theme/style-cache'

export default async function handleRequest(
  request: Request,
  status: number,
  headers: Headers,
  entry: EntryContext,
  context: RouterContextProvider,
): Promise<Response> {
  const nonce = context.get(nonceContext)
  const cache = styleCache(nonce)
  const { extractCriticalToChunks, constructStyleTagsFromChunks } = createEmotionServer(cache)
  // Between what was read for the page, its markup and its styles, others have their turn.
  await breath()
  const markup = await new Promise<string>((resolve, reject) => {
    const { pipe } = renderToPipeableStream(
      <CacheProvider value={cache}>
        <TurnContext value={piecesOf()}>
          <ServerRouter context={entry} url={request.url} nonce={nonce} />
        </TurnContext>
      </CacheProvider>,
      {
        nonce,
        onAllReady: () => text(pipe(new PassThrough())).then(resolve, reject),
        onShellError: reject,
      },
    )
  })
  await breath()
  const styles = constructStyleTagsFromChunks(extractCriticalToChunks(markup))
  headers.set('Content-Type', 'text/html; charset=utf-8')
  headers.set('Cache-Control', 'no-store')
  return new Response(markup.replace('</head>', `${styles}</head>`), { status, headers })
}
