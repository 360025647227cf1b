import fc from 'fast-check'
import ipaddr from 'ipaddr.js'
import { describe, expect, it } from 'vitest'
import {
  bitsOf,
  clusterRanges,
  contains,
  enclosingBlock,
  type Family,
  findOverlaps,
  formatAddress,
  formatRange,
  freeGaps,
  intersection,
  lowestFreeBlock,
  parseAddress,
  parseCidr,
  parseRange,
  perNodePrefix,
} from '.'

const says = (result: { ok: boolean; says?: string }): string =>
  result.ok ? 'ok' : (result.says ?? '')

const anyAddress = fc.oneof(
  fc.bigInt({ min: 0n, max: 2n ** 32n - 1n }).map((value) => ({ family: 4 as Family, value })),
  fc
    .bigInt({ min: 2n ** 48n, max: 2n ** 128n - 1n })
    .map((value) => ({ family: 6 as Family, value })),
)

describe('an address', () => {
  it('reads back what it writes', () => {
    fc.assert(
      fc.property(anyAddress, (address) => {
        const read = parseAddress(formatAddress(address))
        expect(read.ok && read.value).toEqual(address)
      }),
    )
  })

  it('writes IPv6 as an independent library does', () => {
    fc.assert(
      fc.property(fc.bigInt({ min: 2n ** 48n, max: 2n ** 128n - 1n }), (value) => {
        const bytes = Array.from({ length: 16 }, (_, i) =>
          Number((value >> BigInt(8 * (15 - i))) & 255n),
        )
        const candidate = ipaddr.fromByteArray(bytes)
        expect(formatAddress({ family: 6, value })).toBe(
          candidate instanceof ipaddr.IPv6 ? candidate.toRFC5952String() : '',
        )
      }),
    )
  })

  it.each([
    ['2001:DB8:0:0:8:800:200C:417A', '2001:db8::8:800:200c:417a'],
    ['2001:0db8:0000:0000:0001:0000:0000:0001', '2001:db8::1:0:0:1'],
    ['2001:db8:0:1:1:1:1:1', '2001:db8:0:1:1:1:1:1'],
    ['::', '::'],
    ['::1.2.3.4', '::102:304'],
    [' 10.20.0.1 ', '10.20.0.1'],
  ])('reads %s as %s', (text, canonical) => {
    const read = parseAddress(text)
    expect(read.ok && formatAddress(read.value)).toBe(canonical)
  })

  it.each([
    '',
    '10.20.0',
    '10.20.0.256',
    '10.20.0.01',
    '10.20.0.0.1',
    '::ffff:10.0.0.1',
    '::ffff:a00:1',
    '1::2::3',
    '1:2:3:4:5:6:7',
    '1:2:3:4:5:6:7::8:9',
    'fe80::1%eth0',
    '12345::',
    '1:2:3:4:5:6:7:8:',
    ':1:2:3:4:5:6:7',
  ])('refuses %j with a reason', (text) => {
    const read = parseAddress(text)
    expect(read.ok).toBe(false)
    expect(says(read).length).toBeGreaterThan(10)
  })
})

describe('a CIDR', () => {
  it('with host bits set is refused with its corrected form', () => {
    expect(parseCidr('10.20.0.5/24')).toMatchObject({ ok: false, suggest: '10.20.0.0/24' })
    expect(parseCidr('2001:db8::1/64')).toMatchObject({ ok: false, suggest: '2001:db8::/64' })
  })

  it.each([
    '10.0.0.0/33',
    '10.0.0.0/-1',
    '10.0.0.0/08',
    '10.0.0.0/',
    '10.0.0.0/8/8',
    '::/129',
    '10.0.0.0/a',
  ])('refuses %s', (text) => expect(parseCidr(text).ok).toBe(false))

  it('may be read from an address inside it where that is wanted', () => {
    const read = parseCidr('10.77.12.8/26', { hostBits: true })
    expect(read.ok && formatRange(read.value)).toBe('10.77.12.0/26')
  })
})

describe('a range', () => {
  it.each([
    ['10.0.0.1 - 10.0.0.9', '10.0.0.1-10.0.0.9'],
    ['10.0.0.7', '10.0.0.7'],
    ['10.0.0.0/30', '10.0.0.0/30'],
    ['::1-::2', '::1-::2'],
  ])('reads %s', (text, written) => {
    const read = parseRange(text)
    expect(read.ok && formatRange(read.value)).toBe(written)
  })

  it.each(['10.0.0.9-10.0.0.1', '10.0.0.1-::1', '10.0.0.1-', '10.0.0.1-10.0.0.2-10.0.0.3'])(
    'refuses %s',
    (text) => expect(parseRange(text).ok).toBe(false),
  )
})

const small = fc
  .tuple(fc.integer({ min: 0, max: 63 }), fc.integer({ min: 0, max: 20 }))
  .map(([first, length]) => ({ first, last: Math.min(63, first + length) }))
const text = (value: number): string => `10.0.0.${value}`

describe('overlaps', () => {
  it('are all the pairs that share addresses, as comparing every pair finds them', () => {
    fc.assert(
      fc.property(fc.array(small, { maxLength: 14 }), (ranges) => {
        const named = ranges.map(({ first, last }, i) => ({
          name: `r${i}`,
          range: `${text(first)}-${text(last)}`,
        }))
        const expected = ranges.flatMap((a, i) =>
          ranges.flatMap((b, j) => {
            const first = Math.max(a.first, b.first)
            const last = Math.min(a.last, b.last)
            return i < j && first <= last ? [{ i, j, first, last }] : []
          }),
        )
        expected.sort((x, y) => x.first - y.first || x.i - y.i || x.j - y.j)
        expect(findOverlaps(named)?.overlaps).toEqual(
          expected.map(({ i, j, first, last }) => ({
            a: `r${i}`,
            b: `r${j}`,
            first: text(first),
            last: text(last),
            count: String(last - first + 1),
          })),
        )
      }),
    )
  })

  it('never join the families, put IPv4 first, and count past a number', () => {
    const report = findOverlaps([
      { name: 'v6', range: '::/0' },
      { name: 'v4', range: '0.0.0.0/0' },
      { name: 'v6 too', range: '2001:db8::/32' },
      { name: 'v4 too', range: '10.0.0.0/8' },
    ])
    expect(report?.overlaps.map(({ a, b, count }) => [a, b, count])).toEqual([
      ['v4', 'v4 too', '16777216'],
      ['v6', 'v6 too', (2n ** 96n).toString()],
    ])
  })

  it('list unreadable ranges apart, with the corrected CIDR where there is one', () => {
    const report = findOverlaps([
      { name: 'a', range: '10.0.0.1/8' },
      { name: 'b', range: 'nonsense' },
    ])
    expect(report?.overlaps).toEqual([])
    expect(report?.invalid.map(({ name, suggest }) => [name, suggest])).toEqual([
      ['a', '10.0.0.0/8'],
      ['b', null],
    ])
  })
})

describe('free space', () => {
  it('is what no taken range covers', () => {
    fc.assert(
      fc.property(fc.array(small, { maxLength: 8 }), (taken) => {
        const within = { family: 4 as const, first: 0n, last: 63n }
        const ranges = taken.map(({ first, last }) => ({
          family: 4 as const,
          first: BigInt(first),
          last: BigInt(last),
        }))
        const gaps = freeGaps(within, ranges)
        for (let value = 0n; value <= 63n; value++) {
          const isTaken = ranges.some((range) => range.first <= value && value <= range.last)
          expect(gaps.some((gap) => gap.first <= value && value <= gap.last)).toBe(!isTaken)
        }
      }),
    )
  })

  it('gives the lowest aligned block', () => {
    const within = parseCidr('10.0.0.0/8')
    const taken = parseRange('10.0.0.0-10.0.0.1')
    if (!within.ok || !taken.ok) throw new Error('the fixture does not parse')
    const block = lowestFreeBlock(within.value, [taken.value], 24)
    expect(block && formatRange(block)).toBe('10.0.1.0/24')
    expect(block && contains(within.value, block) && intersection(block, taken.value)).toBeNull()
    expect(lowestFreeBlock(taken.value, [], 24)).toBeNull()
  })
})

describe('the block around ranges', () => {
  const around = (texts: readonly string[], max?: number): string | null => {
    const block = enclosingBlock(
      texts.flatMap((name) => {
        const read = parseRange(name)
        return read.ok ? [read.value] : []
      }),
      max,
    )
    return block && formatRange(block)
  }
  it.each([
    [['10.116.0.0/18', '10.121.0.0/20'], undefined, '10.112.0.0/12'],
    [['10.0.0.1'], undefined, '10.0.0.1/32'],
    [['10.0.0.1'], 24, '10.0.0.0/24'],
    [['0.0.0.0', '255.255.255.255'], undefined, '0.0.0.0/0'],
    [['fd00::1', 'fd00::ffff'], undefined, 'fd00::/112'],
    [[], undefined, null],
    [['10.0.0.1', 'fd00::1'], undefined, null],
  ] as const)('%j is %s', (texts, max, block) => expect(around(texts, max)).toBe(block))
})

describe('cluster ranges', () => {
  it.each([
    [110, 24],
    [64, 25],
    [32, 26],
    [8, 28],
    [1, 31],
    [129, 23],
  ])('%i pods a node take a /%i, and as many addresses in IPv6', (pods, prefix) => {
    expect(perNodePrefix(4, pods)).toBe(prefix)
    expect(perNodePrefix(6, pods)).toBe(prefix + bitsOf(6) - bitsOf(4))
  })

  const ranges = (pods: string, max: number, services: string) => {
    const podRange = parseCidr(pods)
    const serviceRange = parseCidr(services)
    if (!podRange.ok || !serviceRange.ok) throw new Error('the fixture does not parse')
    return clusterRanges(podRange.value, max, serviceRange.value)
  }

  it('hold nodes and services, and give API and DNS their addresses', () => {
    expect(ranges('10.130.0.0/18', 110, '10.131.0.0/20')).toEqual({
      ok: true,
      value: {
        perNodePrefix: 24,
        maxNodes: 64n,
        services: 4094n,
        apiAddress: '10.131.0.1',
        dnsAddress: '10.131.0.10',
      },
    })
    expect(ranges('fd00::/64', 110, 'fd01::/108')).toMatchObject({
      ok: true,
      value: { maxNodes: 2n ** 56n, services: 1048575n, dnsAddress: 'fd01::a' },
    })
  })

  it.each([
    ['10.131.0.0/28', '10.131.0.1', '10.131.0.10', 14n],
    ['10.131.0.0/29', '10.131.0.1', null, 6n],
    ['10.131.0.0/30', '10.131.0.1', null, 2n],
    ['10.131.0.0/31', null, null, 0n],
    ['10.131.0.0/32', null, null, 0n],
  ])('give none where the service range %s is too small', (services, api, dns, count) => {
    expect(ranges('10.130.0.0/18', 110, services)).toMatchObject({
      ok: true,
      value: { apiAddress: api, dnsAddress: dns, services: count },
    })
  })

  it('refuse a pod range smaller than one node’s block', () =>
    expect(ranges('10.130.0.0/25', 110, '10.131.0.0/20').ok).toBe(false))
})
