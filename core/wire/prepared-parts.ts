import type { ReadyCluster, ReadySite } from './prepared'
import type { BadText } from './spans'
import type { WalkCluster, WalkSite } from './world'

/** Parts that were read before: worlds that differ in one site share the rest. Only good ones are kept. */
export const preparedParts = {
  clusters: new WeakMap<WalkCluster, ReadyCluster>(),
  sites: new WeakMap<WalkSite, ReadySite>(),
}

/** What was read of this part before, else what reading it now gives. */
export function kept<Given extends object, Ready extends { readonly index: number }>(
  memory: WeakMap<Given, Ready>,
  given: Given,
  index: number,
  bad: BadText[],
  read: () => Ready | null,
): Ready | null {
  const before = memory.get(given)
  if (before?.index === index) return before
  const count = bad.length
  const ready = read()
  if (ready && bad.length === count) memory.set(given, ready)
  return ready
}
