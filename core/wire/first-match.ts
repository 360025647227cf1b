/**
 * Rules in order of priority, made ready so that the first that matches a packet is found without looking at each:
 * every dimension is cut at the ends of the rules’ ranges, and each part keeps the rules that cover it as bits.
 */
import type { Address, Family } from '../addresses'
import { everywhere, rangesOf, type Spans, within } from './spans'

export interface Matched<T> {
  readonly rule: T
  /** Where it stands in the list it came from. */
  readonly index: number
}

export interface RuleFields<T> extends Matched<T> {
  readonly priority: number
  readonly from: Spans
  readonly to: Spans
  readonly members: Spans
  /** TCP, UDP, SCTP, or ANY for the first two. */
  readonly protocol: string
  /** First and last port; null is all. */
  readonly ports: readonly (readonly [number, number])[] | null
}

/** The rules that cover each part of one dimension, as bits, made when first asked for. */
class Axis {
  private readonly starts: readonly bigint[]
  private readonly known: (Uint32Array | undefined)[]
  private readonly covers: (at: bigint) => Uint32Array

  constructor(ends: readonly bigint[], covers: (at: bigint) => Uint32Array) {
    this.starts = [...new Set([0n, ...ends])].sort((a, b) => {
      if (a < b) return -1
      if (a > b) return 1
      return 0
    })
    this.known = Array.from({ length: this.starts.length })
    this.covers = covers
  }

  at(value: bigint): Uint32Array {
    let low = 0
    let high = this.starts.length - 1
    while (low < high) {
      const middle = (low + high + 1) >> 1
      if ((this.starts[middle] ?? 0n) <= value) low = middle
      else high = middle - 1
    }
    return (this.known[low] ??= this.covers(this.starts[low] ?? 0n))
  }
}

const protocolMeets = (wanted: string, protocol: string): boolean =>
  wanted === protocol || (wanted === 'ANY' && protocol !== 'SCTP')

export class FirstMatch<T> {
  /** In the order in which they are asked. */
  readonly rules: readonly RuleFields<T>[]
  private readonly words: number
  private readonly axes = new Map<string, Axis>()
  private readonly protocols = new Map<string, Uint32Array>()

  constructor(rules: readonly RuleFields<T>[]) {
    this.rules = [...rules].sort((a, b) => a.priority - b.priority || a.index - b.index)
    this.words = Math.ceil(this.rules.length / 32)
  }

  private bits(holds: (rule: RuleFields<T>) => boolean): Uint32Array {
    const bits = new Uint32Array(this.words)
    for (const [i, rule] of this.rules.entries())
      if (holds(rule)) bits[i >> 5] = (bits[i >> 5] ?? 0) | (1 << (i & 31))
    return bits
  }

  private axis(field: 'from' | 'to' | 'members', family: Family): Axis {
    const key = `${field}${family}`
    let axis = this.axes.get(key)
    if (!axis) {
      const ends = this.rules.flatMap((rule) =>
        rule[field] === everywhere
          ? []
          : rangesOf(rule[field], family).flatMap((range) => [range.first, range.last + 1n]),
      )
      axis = new Axis(ends, (at) => this.bits((rule) => within(rule[field], { family, value: at })))
      this.axes.set(key, axis)
    }
    return axis
  }

  private portAxis(): Axis {
    let axis = this.axes.get('ports')
    if (!axis) {
      const ends = this.rules.flatMap((rule) =>
        (rule.ports ?? []).flatMap(([first, last]) => [BigInt(first), BigInt(last + 1)]),
      )
      axis = new Axis(ends, (at) =>
        this.bits(
          (rule) =>
            rule.ports === null ||
            rule.ports.some(([first, last]) => Number(at) >= first && Number(at) <= last),
        ),
      )
      this.axes.set('ports', axis)
    }
    return axis
  }

  private protocolBits(protocol: string): Uint32Array {
    let bits = this.protocols.get(protocol)
    if (!bits)
      this.protocols.set(
        protocol,
        (bits = this.bits((rule) => protocolMeets(rule.protocol, protocol))),
      )
    return bits
  }

  /** The first rule that matches, or null. `members`: any of them counts. O(log n + n / 32) for n rules. */
  find(
    from: Address,
    to: Address,
    protocol: string,
    port: number,
    members: readonly Address[],
  ): RuleFields<T> | null {
    if (this.rules.length === 0) return null
    const a = this.axis('from', from.family).at(from.value)
    const b = this.axis('to', to.family).at(to.value)
    const c = this.portAxis().at(BigInt(port))
    const d = this.protocolBits(protocol)
    const m = members.map((member) => this.axis('members', member.family).at(member.value))
    for (let word = 0; word < this.words; word++) {
      let left = (a[word] ?? 0) & (b[word] ?? 0) & (c[word] ?? 0) & (d[word] ?? 0)
      if (left === 0) continue
      let held = 0
      for (const bits of m) held |= bits[word] ?? 0
      left &= held
      if (left !== 0) return this.rules[(word << 5) + 31 - Math.clz32(left & -left)] ?? null
    }
    return null
  }
}
