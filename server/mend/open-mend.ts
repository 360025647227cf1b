/** Cases and drills, as the program opens them. */
import type { Line } from '../runner/journal'
import type { Outside } from '../connectors/standin/outside'
import { type CaseParts, Cases } from './cases'
import { Drills } from './drills'

export function openMend(
  parts: CaseParts & {
    readonly outside: Outside
    readonly journal: (line: Line) => Promise<void>
  },
): { readonly cases: Cases; readonly drills: Drills } {
  const { database, outside, journal } = parts
  return {
    cases: new Cases(parts),
    drills: new Drills({ database, outside, journalLine: journal }),
  }
}
