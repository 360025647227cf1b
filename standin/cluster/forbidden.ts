import type { Said } from '../../core/contract'

/** Why an API does not take what is written, with the reason that it gives. */
export interface Forbidden extends Said {
  readonly reason: string
}
