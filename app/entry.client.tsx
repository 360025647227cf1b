import { CacheProvider } from '@emotion/react'
import { startTransition } from 'react'
import { hydrateRoot } from 'react-dom/client'
import { HydratedRouter } from 'react-router/dom'
import { styleCache } from './theme/style-cache'

startTransition(() => {
  hydrateRoot(
    document,
    <CacheProvider value={styleCache()}>
      <HydratedRouter />
    </CacheProvider>,
  )
})
