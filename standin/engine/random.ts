/**
 * Seeded randomness by name: the same seed and name give the same number, whatever else was drawn before.
 * So the history of one machine does not depend on how many others are made beside it.
 */

const fnvStart = 0x811c9dc5

/** Continues a 32-bit FNV-1a over more text. */
function fnv(state: number, text: string): number {
  let h = state
  for (let i = 0; i < text.length; i++) h = Math.imul(h ^ text.charCodeAt(i), 0x01000193)
  return h
}

/** A final mix, for even spread over short, similar names; in [0, 1). */
function spread(state: number): number {
  let h = state
  h ^= h >>> 16
  h = Math.imul(h, 0x85ebca6b)
  h ^= h >>> 13
  h = Math.imul(h, 0xc2b2ae35)
  return ((h ^ (h >>> 16)) >>> 0) / 0x1_0000_0000
}

/** The state after `seed/`, of the seed that was asked for last: one world has one seed. */
let begun = { seed: NaN, state: 0 }

const begin = (seed: number, name: string): number => {
  if (begun.seed !== seed) begun = { seed, state: fnv(fnvStart, `${seed}/`) }
  return fnv(begun.state, name)
}

/** A number in [0, 1) for a seed and a name. */
export const uniform = (seed: number, name: string): number => spread(begin(seed, name))

/** A standard normal number (Box–Muller), cut at ±2.5 so that no duration runs away. */
function normal(seed: number, name: string): number {
  const state = begin(seed, name)
  const u = Math.max(spread(fnv(state, '/u')), 1e-9)
  const v = spread(fnv(state, '/v'))
  return Math.max(-2.5, Math.min(2.5, Math.sqrt(-2 * Math.log(u)) * Math.cos(2 * Math.PI * v)))
}

/** Milliseconds around a median, log-normal: 95 % take less than about 1.5 × the median. Whole, at least 1. */
export const spreadMs = (seed: number, name: string, medianSeconds: number): number =>
  Math.max(1, Math.round(medianSeconds * 1000 * Math.exp(0.25 * normal(seed, name))))
