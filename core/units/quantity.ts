/**
 * API quantities ("500m", "2Gi", "1.5", "1e3") as exact numbers.
 * A quantity is a decimal mantissa with a decimal or binary suffix; it is kept as a fraction of two
 * integers until it is rounded up to the unit asked for, as the open API does. Cost: linear in the text.
 */

export type Parsed<T> =
  { readonly ok: true; readonly value: T } | { readonly ok: false; readonly says: string }

const suffixes: Readonly<Record<string, readonly [bigint, bigint]>> = {
  n: [1n, 1_000_000_000n],
  u: [1n, 1_000_000n],
  m: [1n, 1000n],
  '': [1n, 1n],
  k: [1000n, 1n],
  M: [1000n ** 2n, 1n],
  G: [1000n ** 3n, 1n],
  T: [1000n ** 4n, 1n],
  P: [1000n ** 5n, 1n],
  E: [1000n ** 6n, 1n],
  Ki: [1024n, 1n],
  Mi: [1024n ** 2n, 1n],
  Gi: [1024n ** 3n, 1n],
  Ti: [1024n ** 4n, 1n],
  Pi: [1024n ** 5n, 1n],
  Ei: [1024n ** 6n, 1n],
}

const shape =
  /^([+-]?)(\d{1,40})?(?:\.(\d{0,40}))?(?:[eE]([+-]?\d{1,3})|(n|u|m|k|M|G|T|P|E|Ki|Mi|Gi|Ti|Pi|Ei))?$/

/** The largest quantity taken: what fits a double exactly, in the unit asked for. */
const largest = BigInt(Number.MAX_SAFE_INTEGER)

/**
 * Reads a quantity and gives it as a whole number of `1 / perUnit`, rounded up.
 * `perUnit` 1000 gives thousandths (cpu), 1 gives whole units (bytes). Negative and unreadable text is an error.
 */
function parseScaled(text: string, perUnit: bigint, example: string): Parsed<number> {
  const match = shape.exec(text.trim())
  const whole = match?.[2] ?? ''
  const fraction = match?.[3] ?? ''
  if (!match || whole + fraction === '') {
    return { ok: false, says: `“${text.slice(0, 60)}” is no quantity. Write it like ${example}.` }
  }
  if (match[1] === '-')
    return { ok: false, says: `“${text.slice(0, 60)}” is below 0. Write it like ${example}.` }
  const exponent = match[4] === undefined ? 0 : Number(match[4])
  if (Math.abs(exponent) > 40)
    return { ok: false, says: `“${text.slice(0, 60)}” is out of range. Write it like ${example}.` }
  const [up, down] = suffixes[match[5] ?? ''] ?? [1n, 1n]
  let numerator = BigInt(whole + fraction) * up * perUnit
  let denominator = 10n ** BigInt(fraction.length) * down
  if (exponent >= 0) numerator *= 10n ** BigInt(exponent)
  else denominator *= 10n ** BigInt(-exponent)
  const value = (numerator + denominator - 1n) / denominator
  if (value > largest)
    return {
      ok: false,
      says: `“${text.slice(0, 60)}” is more than can be computed with (2^53 − 1).`,
    }
  return { ok: true, value: Number(value) }
}

/** CPU in thousandths of a core, rounded up: "500m" → 500, "2" → 2000. */
export const parseCpuMilli = (text: string): Parsed<number> =>
  parseScaled(text, 1000n, '"500m" or "2"')

/** Memory or storage in bytes, rounded up: "2Gi" → 2147483648. */
export const parseBytes = (text: string): Parsed<number> =>
  parseScaled(text, 1n, '"512Mi" or "16Gi"')

/** An amount that is neither, as of a metric, in thousandths at the finest: "100" → 100, "1k" → 1000, "500m" → 0.5. */
export function parseAmount(text: string): Parsed<number> {
  const read = parseScaled(text, 1000n, '"100" or "500m"')
  return read.ok ? { ok: true, value: read.value / 1000 } : read
}

export const KiB = 1024
export const MiB = 1024 ** 2
export const GiB = 1024 ** 3
export const GB = 1e9
