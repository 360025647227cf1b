/** Ranges entered from a file, each good or bad line shown first. */

export type Read = {
  readonly good: readonly {
    readonly domain: string
    readonly range: string
    readonly name: string
  }[]
  readonly bad: readonly { readonly line: number; readonly says: string }[]
  readonly more: number
  readonly known: number
}
