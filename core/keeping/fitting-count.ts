/** How many nodes a pool can have, where it cannot have as many as are asked for. */
import type { Offer, RawFinding } from '../changes'
import { addMachineChecks, type Planned } from '../provisioning'
import { countText } from '../units'

/** What stands against the machines that are still to come. */
export const machineFindings = (planned: Planned): readonly RawFinding[] =>
  addMachineChecks.flatMap((check) => check(planned))

/**
 * The draft with the largest number of nodes against which nothing stands, between those that stand and those asked
 * for; found by halving, so O(log n) checks. Nothing where not even one more node could come.
 */
export function fittingCount(
  nodesNow: number,
  asked: number,
  planned: (count: number) => Planned,
): readonly Offer[] {
  const fits = (count: number): boolean =>
    !machineFindings(planned(count)).some(({ level }) => level === 'stop')
  let [good, bad] = [nodesNow, asked]
  while (bad - good > 1) {
    const half = Math.floor((good + bad) / 2)
    if (fits(half)) good = half
    else bad = half
  }
  return good === nodesNow
    ? []
    : [
        {
          says: countText(good, 'node'),
          change: { patchDraft: [{ op: 'replace', path: '/count', value: good }] },
        },
      ]
}

/** The same findings about the number of nodes: remedies written for a raise give way to that number. */
export const aboutCount = (
  findings: readonly RawFinding[],
  fitting: () => readonly Offer[],
): readonly RawFinding[] => {
  if (findings.length === 0) return []
  const offers = findings.some(({ level }) => level === 'stop') ? fitting() : []
  return findings.map((finding) => ({
    ...finding,
    field: 'count',
    offers: [
      ...(finding.level === 'stop' ? offers : []),
      ...(finding.offers ?? []).filter((offer) => 'kind' in offer.change),
    ],
  }))
}
