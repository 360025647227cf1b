/** How a command of the simulation stands, as the contract has it. */

import type { Outcome, SliceName } from '../../../core/contract'
import type { Operation } from '../../../standin'

export const isSlice = (name: string): name is SliceName =>
  name.startsWith('site:') || name.startsWith('cluster:')
export function outcomeOf(op: Operation): Outcome {
  const evidence = op.evidence
  if (op.endedAt === null) return { known: true, ended: false, evidence }
  return {
    known: true,
    ended: true,
    at: op.endedAt,
    result: op.result,
    failure: op.failure,
    evidence,
  }
}
