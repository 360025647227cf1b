import createCache from '@emotion/cache'

/** The same key on both sides, so that the browser takes over the server’s styles. */
export const styleCache = () => createCache({ key: 'g' })
