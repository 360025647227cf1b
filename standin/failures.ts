/** How commands fail. */
import type { OperationFailure } from './world'

/** A failure that waiting does not mend; `chain` from the lowest object up. */
export const permanent = (
  reason: string,
  says: string,
  ...chain: readonly { about: string; says: string }[]
): OperationFailure => ({ class: 'permanent', reason, says, chain })

/** A failure that may pass by itself. */
export const transient = (
  reason: string,
  says: string,
  ...chain: readonly { about: string; says: string }[]
): OperationFailure => ({ class: 'transient', reason, says, chain })
