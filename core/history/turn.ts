/** Since when something is as it is: by halving, over the times at which anything was observed to change. */

export interface Turn<T> {
  /** Index of the last time at which it was otherwise; null where it never was, as far back as is known. */
  readonly before: number | null
  /** Index of the first time from which on it is as at the last one. */
  readonly since: number
  readonly was: T | null
  readonly is: T
  /** At how many times it was computed. */
  readonly asked: number
}

/**
 * The latest turn before the last of `count` times. Looks back in steps that double until it was otherwise, then halves
 * what lies between: of a turn and its return between two looks nothing is seen, so the steps begin small.
 */
export async function turnOf<T extends string | boolean>(
  count: number,
  valueAt: (index: number) => Promise<T>,
): Promise<Turn<T> | null> {
  if (count === 0) return null
  const is = await valueAt(count - 1)
  let asked = 1
  let since = count - 1
  for (let step = 1; since > 0; step *= 2) {
    const index = Math.max(0, since - step)
    const value = await valueAt(index)
    asked++
    if (value === is) {
      since = index
      continue
    }
    let before = index
    let was = value
    while (since - before > 1) {
      const middle = Math.floor((before + since) / 2)
      const between = await valueAt(middle)
      asked++
      if (between === is) since = middle
      else {
        before = middle
        was = between
      }
    }
    return { before, since, was, is, asked }
  }
  return { before: null, since: 0, was: null, is, asked }
}
