/** Numbers drawn from a seed: the same seed gives the same run. */
export function chanceOf(seed) {
  let state = seed >>> 0
  const next = () => {
    state = (state + 0x6d2b79f5) >>> 0
    let mixed = Math.imul(state ^ (state >>> 15), state | 1)
    mixed ^= mixed + Math.imul(mixed ^ (mixed >>> 7), mixed | 61)
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 2 ** 32
  }
  return {
    next,
    below: (limit) => Math.floor(next() * limit),
    pick: (list) => list[Math.floor(next() * list.length)],
    is: (share) => next() < share,
  }
}
