/** How many losses a control plane survives: a majority of its members must remain. */
import type { Said } from '../contract'
import { said } from './says'

export interface QuorumReport {
  readonly members: number
  readonly tolerates: number
  readonly survivesZoneLoss: readonly boolean[]
  readonly finding: (Said & { readonly level: 'stop' | 'caution' }) | null
}

/** Losses that `members` tolerate: ⌊(n−1)/2⌋, 0 for none. */
export const toleratedLosses = (members: number): number =>
  members < 1 ? 0 : Math.floor((members - 1) / 2)

/**
 * The report for members spread over zones (`zones[i]` members in zone i). Null if there is no member at all.
 * Two members are worse than one (either loss stops both): stop. Other even counts add a machine without adding tolerance: caution.
 */
export function quorum(zones: readonly number[]): QuorumReport | null {
  const members = zones.reduce((sum, count) => sum + count, 0)
  if (members < 1) return null
  const majority = Math.floor(members / 2) + 1
  let finding: QuorumReport['finding']
  if (members === 2)
    finding = {
      level: 'stop',
      ...said('quorum.two'),
    }
  else if (members % 2 === 0)
    finding = {
      level: 'caution',
      ...said('quorum.even', {
        members,
        toleratedLosses: toleratedLosses(members),
        fewer: members - 1,
        more: members + 1,
      }),
    }
  else finding = null
  return {
    members,
    tolerates: toleratedLosses(members),
    survivesZoneLoss: zones.map((count) => members - count >= majority),
    finding,
  }
}
