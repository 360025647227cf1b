import createCache from '@emotion/cache'

/** The same key on both sides, so that the browser takes over the server’s styles; sheets are taken only with the page’s nonce. */
export const styleCache = (nonce: string | undefined) =>
  createCache({ key: 'g', ...(nonce === undefined || nonce === '' ? {} : { nonce }) })
