/** A part of the fleet as somebody sees it who may not have asked for it, or may not have been answered. */

export type Slice<T> =
  /** Not part of what this view was made for: reading it is an error of whoever reads. */
  | { readonly state: 'notAsked' }
  /** Asked for, and nothing heard: what was last known is older than `since`. */
  | { readonly state: 'unheard'; readonly since: string; readonly why: string; readonly last?: T }
  /** As it was reported, at which version of the slice. */
  | { readonly state: 'known'; readonly version: number; readonly at: string; readonly value: T }

export const notAsked = { state: 'notAsked' } as const

/** What is known, or undefined where the outside is silent. Throws where it was not asked for: a kind’s own error. */
export function heard<T>(slice: Slice<T>, name: string): T | undefined {
  switch (slice.state) {
    case 'notAsked':
      throw new Error(`${name} is read but was not asked for: name it among the needs`)
    case 'unheard':
      return slice.last
    case 'known':
      return slice.value
  }
}
