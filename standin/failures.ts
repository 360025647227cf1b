/** How commands fail. */
import type { Said } from '../core/contract'
import type { OperationFailure } from './world'

/** A failure that waiting does not mend; `chain` from the lowest object up. */
export const permanent = (
  reason: string,
  said: Said,
  ...chain: readonly (Said & { readonly about: string })[]
): OperationFailure => ({ class: 'permanent', reason, ...said, chain })

/** A failure that may pass by itself. */
export const transient = (
  reason: string,
  said: Said,
  ...chain: readonly (Said & { readonly about: string })[]
): OperationFailure => ({ class: 'transient', reason, ...said, chain })
