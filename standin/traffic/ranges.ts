/** Ranges as the traffic of the stand-ins reads them. */

import { parseAddress, parseRange } from '../../core/addresses'

/** Lines of addresses that were asked before. An address is short and there are few; past this many it begins anew. */
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

export function covers(range: string, address: string): boolean {
  const at = lineOf(address)
  const read = parseRange(range)
  if (at === null || !read.ok) return false
  const base = read.value.family === 6 ? 1n << 40n : 0n
  return at >= base + read.value.first && at <= base + read.value.last
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
  const read = parseRange(range)
  return read.ok ? read.value.last - read.value.first : 0n
}
