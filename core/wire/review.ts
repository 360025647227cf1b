/**
 * Review of a firewall’s rules, exact: rules are boxes over source, destination, protocol, port and members; what earlier
 * rules take is subtracted box by box. Coordinates are the ranks of the ends that occur, so that boxes are small integers.
 */
import type { Range } from '../addresses'
import { readPorts } from './prepare'
import { type BadText, rangesOf, readSpans, type Spans } from './spans'
import type { FirewallRule } from './world'

export interface Review {
  readonly unreachable: readonly {
    readonly rule: string
    readonly by: readonly string[]
    readonly opposite: boolean | 'partly'
  }[]
  readonly redundant: readonly { readonly rule: string; readonly by: readonly string[] }[]
  readonly disabled: readonly string[]
  readonly undecided: readonly string[]
}

export type ReviewRead =
  | { readonly ok: true; readonly review: Review }
  | { readonly ok: false; readonly path: string; readonly says: string }

/** Past so many fragments of one rule it is listed as undecided. */
const mostFragments = 200_000

/** First and last of each of: family and source, destination, protocol, port, member. */
type Box = Int32Array

const dimensions = 5

interface Rule {
  readonly name: string
  readonly index: number
  readonly priority: number
  readonly direction: 'in' | 'out'
  readonly action: 'allow' | 'deny'
  readonly from: Spans
  readonly to: Spans
  readonly members: Spans
  readonly protocols: readonly (readonly [number, number])[]
  readonly ports: readonly (readonly [number, number])[]
}

interface Boxed extends Rule {
  readonly boxes: readonly Box[]
  /** The smallest box around them; null for a rule that no packet can meet. */
  readonly around: Box | null
}

/** Both families on one line, IPv4 first. */
const sixBegins = 1n << 32n
const onLine = (range: Range): readonly [bigint, bigint] =>
  range.family === 4 ? [range.first, range.last] : [sixBegins + range.first, sixBegins + range.last]

function lineOf(spans: Spans, family: 4 | 6): readonly (readonly [bigint, bigint])[] {
  return rangesOf(spans, family).map(onLine)
}

/** Ranks of the cut points of one line: part i is from cut i up to the next. */
class Ruler {
  private readonly rank = new Map<bigint, number>()

  constructor(ends: Iterable<bigint>) {
    const sorted = [...new Set(ends)].sort((a, b) => {
      if (a < b) return -1
      if (a > b) return 1
      return 0
    })
    for (const [i, end] of sorted.entries()) this.rank.set(end, i)
  }

  /** The parts that a range covers. */
  parts([first, last]: readonly [bigint, bigint]): readonly [number, number] {
    return [this.rank.get(first) ?? 0, (this.rank.get(last + 1n) ?? 1) - 1]
  }
}

function* endsOf(lists: Iterable<readonly (readonly [bigint, bigint])[]>): Iterable<bigint> {
  for (const list of lists) {
    for (const [first, last] of list) {
      yield first
      yield last + 1n
    }
  }
}

function boxed(rules: readonly Rule[]): readonly Boxed[] {
  const sides = (spans: Spans) => [...lineOf(spans, 4), ...lineOf(spans, 6)]
  const froms = new Ruler(endsOf(rules.map((rule) => sides(rule.from))))
  const tos = new Ruler(endsOf(rules.map((rule) => sides(rule.to))))
  const members = new Ruler(endsOf(rules.map((rule) => sides(rule.members))))
  const ports = new Ruler(
    endsOf(
      rules.map((rule) =>
        rule.ports.map(([first, last]) => [BigInt(first), BigInt(last)] as const),
      ),
    ),
  )
  return rules.map((rule): Boxed => {
    const boxes: Box[] = []
    const held = sides(rule.members).map((side) => members.parts(side))
    const open = rule.ports.map(([first, last]) => ports.parts([BigInt(first), BigInt(last)]))
    // Both addresses of a packet are of one family.
    for (const family of [4, 6] as const) {
      const sources = lineOf(rule.from, family).map((entry) => froms.parts(entry))
      const goals = lineOf(rule.to, family).map((entry) => tos.parts(entry))
      for (const a of sources)
        for (const b of goals)
          for (const c of rule.protocols)
            for (const d of open)
              for (const e of held)
                boxes.push(
                  Int32Array.of(a[0], a[1], b[0], b[1], c[0], c[1], d[0], d[1], e[0], e[1]),
                )
    }
    return { ...rule, boxes, around: aroundOf(boxes) }
  })
}

function aroundOf(boxes: readonly Box[]): Box | null {
  const [first, ...rest] = boxes
  if (!first) return null
  const around = first.slice()
  for (const box of rest) {
    for (let i = 0; i < 2 * dimensions; i += 2) {
      around[i] = Math.min(around[i] ?? 0, box[i] ?? 0)
      around[i + 1] = Math.max(around[i + 1] ?? 0, box[i + 1] ?? 0)
    }
  }
  return around
}

function meets(a: Box, b: Box): boolean {
  for (let i = 0; i < 2 * dimensions; i += 2)
    if ((a[i] ?? 0) > (b[i + 1] ?? 0) || (b[i] ?? 0) > (a[i + 1] ?? 0)) return false
  return true
}

/** What of a box lies outside another that it meets: at most two parts in each dimension. */
function outside(box: Box, taken: Box, out: Box[]): void {
  const left = box.slice()
  for (let i = 0; i < 2 * dimensions; i += 2) {
    const first = left[i] ?? 0
    const last = left[i + 1] ?? 0
    const from = taken[i] ?? 0
    const to = taken[i + 1] ?? 0
    if (first < from) {
      const below = left.slice()
      below[i + 1] = from - 1
      out.push(below)
      left[i] = from
    }
    if (last > to) {
      const above = left.slice()
      above[i] = to + 1
      out.push(above)
      left[i + 1] = to
    }
  }
}

/** Takes a rule’s boxes away from fragments: what is left, and whether anything was taken; null past the limit. */
function subtract(
  fragments: readonly Box[],
  rule: Boxed,
): { readonly left: readonly Box[]; readonly took: boolean } | null {
  if (rule.around === null) return { left: fragments, took: false }
  let left = fragments
  let took = false
  for (const taken of rule.boxes) {
    let touched = false
    for (const fragment of left) {
      if (meets(fragment, taken)) {
        touched = true
        break
      }
    }
    if (!touched) continue
    took = true
    const next: Box[] = []
    for (const fragment of left) {
      if (meets(fragment, taken)) outside(fragment, taken, next)
      else next.push(fragment)
    }
    if (next.length > mostFragments) return null
    left = next
    if (left.length === 0) break
  }
  return { left, took }
}

const near = (a: Boxed, b: Boxed): boolean =>
  a.around !== null && b.around !== null && meets(a.around, b.around)

interface Found {
  readonly unreachable?: Review['unreachable'][number]
  readonly redundant?: Review['redundant'][number]
  readonly undecided?: true
}

/** What becomes of the rule at `at` in the order of their deciding. */
function judge(rules: readonly Boxed[], at: number): Found {
  const rule = rules[at]
  if (!rule) return {}
  let left: readonly Box[] = rule.boxes
  const before: Boxed[] = []
  for (let i = 0; i < at && left.length > 0; i++) {
    const earlier = rules[i]
    if (!earlier || !near(rule, earlier)) continue
    const done = subtract(left, earlier)
    if (!done) return { undecided: true }
    if (done.took) before.push(earlier)
    left = done.left
  }
  if (left.length === 0) {
    const opposed = before.filter((earlier) => earlier.action !== rule.action).length
    let opposite: boolean | 'partly'
    if (opposed === 0) opposite = false
    else if (opposed === before.length) opposite = true
    else opposite = 'partly'
    return {
      unreachable: {
        rule: rule.name,
        by: before.map((earlier) => earlier.name),
        opposite,
      },
    }
  }
  const after: Boxed[] = []
  for (let i = at + 1; i < rules.length && left.length > 0; i++) {
    const later = rules[i]
    if (!later || !near(rule, later)) continue
    const done = subtract(left, later)
    if (!done) return { undecided: true }
    if (!done.took) continue
    if (later.action !== rule.action) return {}
    after.push(later)
    left = done.left
  }
  return left.length === 0
    ? { redundant: { rule: rule.name, by: after.map((later) => later.name) } }
    : {}
}

const protocolParts = (protocol: string): readonly (readonly [number, number])[] => {
  if (protocol === 'tcp') return [[0, 0]]
  if (protocol === 'udp') return [[1, 1]]
  if (protocol === 'sctp') return [[2, 2]]
  return [[0, 1]]
}

/**
 * Reviews rules. Each is judged against those decided before it (lower priority first, list order on a tie) and those
 * after it of its own direction. Time: for each rule the rules that overlap it, times the fragments they leave.
 */
export function reviewFirewall(given: readonly FirewallRule[]): ReviewRead {
  const bad: BadText[] = []
  const read = given.map((rule, index): Rule => {
    const path = `rules[${index}]`
    return {
      name: rule.name,
      index,
      priority: rule.priority,
      direction: rule.direction,
      action: rule.action,
      from: readSpans(rule.from, `${path}.from`, bad),
      to: readSpans(rule.to, `${path}.to`, bad),
      members: readSpans(rule.members, `${path}.members`, bad),
      protocols: protocolParts(rule.protocol.toLowerCase()),
      ports: mergedPorts(readPorts(rule.ports, `${path}.ports`, bad)),
    }
  })
  const [first] = bad
  if (first) return { ok: false, ...first }
  const enabled = read.filter((rule) => given[rule.index]?.enabled !== false)
  const results = new Map<number, Found>()
  for (const direction of ['in', 'out'] as const) {
    const rules = boxed(
      enabled
        .filter((rule) => rule.direction === direction)
        .sort((a, b) => a.priority - b.priority || a.index - b.index),
    )
    for (const [at, rule] of rules.entries()) results.set(rule.index, judge(rules, at))
  }
  const inOrder = [...results].sort(([a], [b]) => a - b)
  return {
    ok: true,
    review: {
      unreachable: inOrder.flatMap(([, one]) => one.unreachable ?? []),
      redundant: inOrder.flatMap(([, one]) => one.redundant ?? []),
      disabled: given.filter((rule) => rule.enabled === false).map((rule) => rule.name),
      undecided: inOrder.flatMap(([index, one]) =>
        one.undecided ? (given[index]?.name ?? '') : [],
      ),
    },
  }
}

function mergedPorts(
  ports: readonly (readonly [number, number])[] | null,
): readonly (readonly [number, number])[] {
  if (ports === null) return [[0, 65_535]]
  const sorted = [...ports].sort((a, b) => a[0] - b[0])
  const out: [number, number][] = []
  for (const [first, last] of sorted) {
    const before = out.at(-1)
    if (before && first <= before[1] + 1) before[1] = Math.max(before[1], last)
    else out.push([first, last])
  }
  return out
}
