/** Cases, drills and notices of them, as the program opens them. */
import type { Line } from '../runner/journal'
import type { Outside } from '../connectors/standin/outside'
import type { Vault } from '../keys/vault'
import { type CaseParts, Cases } from './cases'
import { Drills } from './drills'
import { Outgoing } from './outgoing/outgoing'
import { allowing, type Post } from './outgoing/post'
import { sending } from './outgoing/stand-in'

export function openMend(
  parts: CaseParts & {
    readonly outside: Outside
    readonly vault: Vault
    /** How notices are sent; without it to no address inside. */
    readonly post: Post | undefined
    readonly journal: (line: Line) => Promise<void>
  },
): { readonly cases: Cases; readonly drills: Drills; readonly outgoing: Outgoing } {
  const { database, outside, changes, journal, post = sending(allowing([])) } = parts
  return {
    cases: new Cases(parts),
    drills: new Drills({ database, outside, changes, journalLine: journal }),
    outgoing: new Outgoing({ ...parts, post, wall: () => Date.now() }),
  }
}
