/** How a volume or a store fills up: the least-squares line through samples of used bytes. */

export interface UsedSample {
  /** Milliseconds. */
  readonly at: number
  readonly usedBytes: number
}

const dayMs = 86_400_000

/** Bytes a day by the line of least squares; null with fewer than two different times. */
export function growthPerDay(samples: readonly UsedSample[]): number | null {
  if (samples.length < 2) return null
  const meanAt = samples.reduce((sum, { at }) => sum + at, 0) / samples.length
  const meanUsed = samples.reduce((sum, { usedBytes }) => sum + usedBytes, 0) / samples.length
  let covariance = 0
  let variance = 0
  for (const { at, usedBytes } of samples) {
    covariance += (at - meanAt) * (usedBytes - meanUsed)
    variance += (at - meanAt) ** 2
  }
  return variance === 0 ? null : (covariance / variance) * dayMs
}

/** Whole days from the latest sample until the line reaches `capacityBytes`, rounded down; null if it does not grow. */
export function daysUntilFull(
  samples: readonly UsedSample[],
  capacityBytes: number,
): number | null {
  const perDay = growthPerDay(samples)
  if (perDay === null || perDay <= 0) return null
  const meanAt = samples.reduce((sum, { at }) => sum + at, 0) / samples.length
  const meanUsed = samples.reduce((sum, { usedBytes }) => sum + usedBytes, 0) / samples.length
  const latest = Math.max(...samples.map(({ at }) => at))
  const fullAt = meanAt + ((capacityBytes - meanUsed) / perDay) * dayMs
  return Math.max(0, Math.floor((fullAt - latest) / dayMs))
}
