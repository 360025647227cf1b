/** Ranges as the traffic of the stand-ins reads them. */

import { parseAddress, parseRange } from '../../core/addresses'

/** Lines of addresses that were asked before. An address is short and there are few; past so many it begins anew. */
const lines = new Map<string, bigint | null>()
const maxLines = 50_000

/** A number for an address; both families on one line. */
export function lineOf(address: string): bigint | null {
  let line = lines.get(address)
  if (line === undefined) {
    line = readLine(address)
    if (lines.size >= maxLines) lines.clear()
    lines.set(address, line)
  }
  return line
}

function readLine(address: string): bigint | null {
  const parsed = parseAddress(address)
  if (!parsed.ok) return null
  return parsed.value.family === 6 ? (1n << 40n) + parsed.value.value : parsed.value.value
}

interface Stretch {
  readonly first: bigint
  readonly last: bigint
}

/** Ranges that were asked before, on the same line; null for a text that is none. */
const stretches = new Map<string, Stretch | null>()

function stretchOf(range: string): Stretch | null {
  let stretch = stretches.get(range)
  if (stretch === undefined) {
    stretch = readStretch(range)
    if (stretches.size >= maxLines) stretches.clear()
    stretches.set(range, stretch)
  }
  return stretch
}

function readStretch(range: string): Stretch | null {
  const read = parseRange(range)
  if (!read.ok) return null
  const base = read.value.family === 6 ? 1n << 40n : 0n
  return { first: base + read.value.first, last: base + read.value.last }
}

export function covers(range: string, address: string): boolean {
  const at = lineOf(address)
  const stretch = stretchOf(range)
  return at !== null && stretch !== null && at >= stretch.first && at <= stretch.last
}

export const anyCovers = (ranges: readonly string[] | undefined, address: string): boolean =>
  ranges === undefined || ranges.some((range) => covers(range, address))

/** The network of a site that holds an address, by name; the smallest where they lie in each other. */
export const networkAt = (
  site: { readonly networks: readonly { readonly name: string; readonly range: string }[] },
  address: string,
): string | undefined =>
  [...site.networks]
    .filter((network) => covers(network.range, address))
    .sort((a, b) => (sizeOf(a.range) < sizeOf(b.range) ? -1 : 1))[0]?.name

function sizeOf(range: string): bigint {
  const stretch = stretchOf(range)
  return stretch ? stretch.last - stretch.first : 0n
}
