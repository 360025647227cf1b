/** How many losses a control plane survives: a majority of its members must remain. */

export interface QuorumReport {
  readonly members: number
  readonly tolerates: number
  readonly survivesZoneLoss: readonly boolean[]
  readonly finding: { readonly level: 'stop' | 'caution'; readonly says: string } | null
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
  let finding:
    | {
        readonly level: 'stop'
        readonly says: 'Two members need both to agree: the loss of either stops the control plane. Use 1 or 3.'
      }
    | {
        readonly level: 'caution'
        readonly says: `${number} members tolerate ${number} losses, no more than ${number} would. Use ${number} or ${number}.`
      }
    | null
  if (members === 2)
    finding = {
      level: 'stop',
      says: 'Two members need both to agree: the loss of either stops the control plane. Use 1 or 3.',
    } as const
  else if (members % 2 === 0)
    finding = {
      level: 'caution',
      says: `${members} members tolerate ${toleratedLosses(members)} losses, no more than ${members - 1} would. Use ${members - 1} or ${members + 1}.`,
    } as const
  else finding = null
  return {
    members,
    tolerates: toleratedLosses(members),
    survivesZoneLoss: zones.map((count) => members - count >= majority),
    finding,
  }
}
