import { CacheProvider } from '@emotion/react'
import { startTransition } from 'react'
import { hydrateRoot } from 'react-dom/client'
import { HydratedRouter } from 'react-router/dom'
import { countUnderway } from './frame/underway'
import { pageNonce } from './theme/page-nonce'
import { styleCache } from './theme/style-cache'

// A read that a newer one made needless is given up by the router on purpose; that is no error of anybody's.
window.addEventListener('unhandledrejection', (event) => {
  if (event.reason instanceof DOMException && event.reason.name === 'AbortError')
    event.preventDefault()
})

startTransition(() => {
  hydrateRoot(
    document,
    <CacheProvider value={styleCache(pageNonce())}>
      <HydratedRouter instrumentations={[countUnderway]} />
    </CacheProvider>,
  )
})
