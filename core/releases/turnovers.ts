/**
 * The turnovers of a pool along the path of its control plane: a turnover takes it to the version that the control plane has
 * at that moment. Each is as late as the skew lets it be, so they are the fewest; the last is at the end. O(path).
 */
import { isTooOld } from './skew'

export interface Turnover {
  /** The place in the path at which it is done, before the next step of the control plane. */
  readonly at: number
  readonly from: string
  readonly to: string
}

/** Of a pool that is neither newer than the beginning of the path nor too old for it. */
export function turnoversOf(path: readonly string[], version: string): readonly Turnover[] {
  const turnovers: Turnover[] = []
  let current = version
  const turn = (at: number): void => {
    const to = path[at] ?? current
    turnovers.push({ at, from: current, to })
    current = to
  }
  for (let at = 0; at + 1 < path.length; at += 1)
    if (isTooOld(current, path[at + 1] ?? current)) turn(at)
  if (current !== path.at(-1)) turn(path.length - 1)
  return turnovers
}
