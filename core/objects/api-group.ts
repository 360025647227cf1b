/** The group of an apiVersion: empty for the core group. */
export const apiGroupOf = (apiVersion: string): string => {
  const cut = apiVersion.lastIndexOf('/')
  return cut < 0 ? '' : apiVersion.slice(0, cut)
}
