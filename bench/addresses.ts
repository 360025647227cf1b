/** Address work on ledgers larger than anybody's. */
import { carve, findOverlaps, parseCidr, parseRange } from '../core/addresses'
import { type Figure, measure } from './figure'

/** Ranges of 10.0.0.0/8 drawn by a counter, one in ten overlapping. */
const ledger = (count: number) =>
  Array.from({ length: count }, (_, i) => {
    const at = (i * 1600 + (i % 10 === 0 ? 1000 : 0)) % 2 ** 24
    return { name: `r${i}`, range: `10.${at >> 16}.${(at >> 8) & 255}.${at & 255 & ~63}/26` }
  })

export function addressFigures(): readonly Figure[] {
  const ranges = ledger(10_000)
  const overlaps = measure(20, () => void findOverlaps(ranges))
  const within = parseCidr('10.0.0.0/8')
  if (!within.ok) throw new Error(within.says)
  const taken = ranges.flatMap(({ range }) => {
    const read = parseRange(range)
    return read.ok ? [{ text: range, range: read.value }] : []
  })
  // The ranges leave no larger block than a /22 free: every one wanted fits.
  const wanted = Array.from({ length: 1000 }, (_, i) => 22 + (i % 9))
  const carved = measure(10, () => void carve(within.value, taken, wanted))
  return [
    {
      name: 'overlaps of 10,000 ranges',
      value: overlaps.median,
      unit: 'ms',
      aim: { atMost: 100 },
    },
    {
      name: 'carving 1,000 blocks among 10,000 ranges',
      value: carved.median,
      unit: 'ms',
      aim: { atMost: 100 },
    },
  ]
}
