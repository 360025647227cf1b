/** Numbers as the exact decimals they are written as: 0.1 is one tenth, not the nearest double. */

export interface Fraction {
  readonly over: bigint
  readonly under: bigint
}

/** The decimal that a finite number is written as. */
export function exactly(value: number): Fraction {
  const [mantissa = '0', exponent = '0'] = String(value).split('e')
  const [whole = '0', part = ''] = mantissa.split('.')
  const digits = BigInt(`${whole}${part}`)
  const shift = Number(exponent) - part.length
  return shift >= 0
    ? { over: digits * 10n ** BigInt(shift), under: 1n }
    : { over: digits, under: 10n ** BigInt(-shift) }
}

/** a × b ÷ c rounded up, for values from 0 and c above it. */
export function timesOverUp(a: Fraction, b: Fraction, c: Fraction): bigint {
  const over = a.over * b.over * c.under
  const under = a.under * b.under * c.over
  return (over + under - 1n) / under
}

/** Whether |a − b| × 10 ≤ b. */
export function isWithinTenth(a: Fraction, b: Fraction): boolean {
  const difference = a.over * b.under - b.over * a.under
  return (difference < 0n ? -difference : difference) * 10n <= b.over * a.under
}
