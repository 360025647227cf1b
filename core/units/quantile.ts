/** The value below which a part of sorted numbers lies, between the two nearest; 0 of none. */
export function quantile(sorted: readonly number[], part: number): number {
  const at = (sorted.length - 1) * part
  const low = sorted[Math.floor(at)] ?? 0
  const high = sorted[Math.ceil(at)] ?? low
  return low + (high - low) * (at - Math.floor(at))
}
