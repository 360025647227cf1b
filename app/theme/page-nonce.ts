/** The nonce of the page as it was made: browsers hide the attribute and keep the property. Nothing where there is no page. */
export const pageNonce = (): string | undefined =>
  typeof document === 'undefined'
    ? undefined
    : document.querySelector<HTMLScriptElement>('script[nonce]')?.nonce
