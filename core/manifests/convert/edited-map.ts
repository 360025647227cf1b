/** A mapping with entries renamed, taken out and written anew: whatever is left of it stays as it was written. */
import { isAlias, isCollection, isMap, isScalar, type Pair, type Scalar, type YAMLMap } from 'yaml'
import { apiDocument } from '../../objects'
import { blockLines, type FlowStyle, flowEntry, type Fresh, isTaken, type Taken } from './fresh'

/** The source with all edits made, from one offset to another; of one mapping without the edits of that mapping itself. */
export type Rendered = (start: number, end: number, without: EditedMap | null) => string

type Entry =
  { readonly pair: Pair; renamed: string | null; isGone: boolean } | { readonly fresh: Fresh }

const keyOf = (pair: Pair): Scalar | null => (isScalar(pair.key) ? pair.key : null)
const isKey = (pair: Pair, key: string): boolean => keyOf(pair)?.value === key

const isComment = (line: string): boolean => line.trim().startsWith('#')

/** Where what a node says ends: comments and line breaks after it are not its own. */
function contentEnd(source: string, node: unknown, otherwise: number): number {
  if (isCollection(node) && node.flow !== true) {
    const last: unknown = node.items.at(-1)
    if (isMap(node)) {
      const pair = last as Pair | undefined
      if (!pair) return node.range?.[1] ?? otherwise
      return contentEnd(source, pair.value, colonAfter(source, pair) + 1)
    }
    return last === undefined ? (node.range?.[1] ?? otherwise) : contentEnd(source, last, otherwise)
  }
  if (isScalar(node) || isCollection(node) || isAlias(node)) {
    let end = Math.max(node.range?.[1] ?? otherwise, otherwise)
    while (end > otherwise && /\s/.test(source[end - 1] ?? '')) end--
    return end
  }
  return otherwise
}

/** The offset of the colon after a key; of the end of the key where there is none. */
function colonAfter(source: string, pair: Pair): number {
  const end = keyOf(pair)?.range?.[1] ?? 0
  const colon = source.indexOf(':', end)
  return colon < 0 || source.slice(end, colon).trim() !== '' ? end : colon
}

export class EditedMap {
  private readonly entries: Entry[]
  /** From its first key, or its brace, to the end of its last line, or its brace. */
  readonly start: number
  readonly end: number
  private isTouched = false

  constructor(
    private readonly source: string,
    readonly node: YAMLMap,
    private readonly rendered: Rendered,
    private readonly eol: string,
    /** Whether the object is written as JSON. */
    private readonly isJson: boolean,
  ) {
    this.entries = node.items.map((pair) => ({ pair, renamed: null, isGone: false }))
    this.start = node.range?.[0] ?? 0
    const last = node.items.at(-1)
    this.end = this.isFlow || !last ? (node.range?.[1] ?? 0) : this.segmentEnd(last)
  }

  private get isFlow(): boolean {
    return this.node.flow === true
  }

  get isEdited(): boolean {
    return this.isTouched
  }

  private find(key: string): (Entry & { readonly pair: Pair }) | undefined {
    return this.entries.find(
      (entry): entry is Entry & { readonly pair: Pair } =>
        'pair' in entry && !entry.isGone && isKey(entry.pair, key),
    )
  }

  rename(key: string, to: string): void {
    const entry = this.find(key)
    if (!entry || !('renamed' in entry)) return
    entry.renamed = to
    this.isTouched = true
  }

  remove(key: string): void {
    const entry = this.find(key)
    if (!entry || !('isGone' in entry)) return
    entry.isGone = true
    this.isTouched = true
  }

  /** Writes an entry after the one of a key, or, where there is none, last; one of its name that holds nothing is replaced. */
  add(entry: Fresh, after: string | null = null): void {
    this.remove(entry.key)
    const at =
      after === null
        ? -1
        : this.entries.findIndex((each) => 'pair' in each && isKey(each.pair, after))
    this.entries.splice(at < 0 ? this.entries.length : at + 1, 0, { fresh: entry })
    this.isTouched = true
  }

  /** Writes an entry before all others. */
  addFirst(entry: Fresh): void {
    this.entries.unshift({ fresh: entry })
    this.isTouched = true
  }

  /** Writes an entry where the first of some keys stands; all of them go. */
  replace(keys: readonly string[], entry: Fresh): void {
    const at = this.entries.findIndex(
      (each) => 'pair' in each && keys.some((key) => isKey(each.pair, key)),
    )
    for (const key of keys) this.remove(key)
    this.entries.splice(at < 0 ? this.entries.length : at, 0, { fresh: entry })
    this.isTouched = true
  }

  /** The entry of a key as it can be written elsewhere. It stays here until it is removed. */
  entry(key: string): Taken | null {
    const match = this.find(key)
    if (!match) return null
    const { pair } = match
    return {
      taken: pair,
      block: () => this.takenLines(pair),
      flow: (indentation) => this.flowText(pair, indentation),
      isLines: !this.isFlow,
    }
  }

  // Where things stand

  private lineStart(offset: number): number {
    return this.source.lastIndexOf('\n', offset - 1) + 1
  }

  private lineEnd(offset: number): number {
    const end = this.source.indexOf('\n', offset)
    return end < 0 ? this.source.length : end + 1
  }

  private get column(): number {
    return this.start - this.lineStart(this.start)
  }

  private valueEnd(pair: Pair): number {
    return contentEnd(this.source, pair.value, colonAfter(this.source, pair) + 1)
  }

  private segmentEnd(pair: Pair): number {
    return this.lineEnd(this.valueEnd(pair))
  }

  private keyStart(pair: Pair): number {
    return keyOf(pair)?.range?.[0] ?? this.start
  }

  /** Whole lines between the entry before and this one: comments and blank lines. */
  private before(pair: Pair): string {
    const index = this.node.items.indexOf(pair)
    const previous = this.node.items[index - 1]
    return previous
      ? this.source.slice(this.segmentEnd(previous), this.lineStart(this.keyStart(pair)))
      : ''
  }

  private linesOf(text: string): readonly string[] {
    const lines = text.split('\n').map((line) => line.replace(/\r$/, ''))
    if (lines.at(-1) === '') lines.pop()
    return lines
  }

  /** Lines as they stand when the mapping begins in the first column. */
  private dedented(lines: readonly string[]): readonly string[] {
    const { column } = this
    return lines.map((line) => {
      const own = line.length - line.trimStart().length
      return line.slice(Math.min(own, column))
    })
  }

  private takenLines(pair: Pair) {
    if (this.isFlow)
      return {
        before: [],
        inline: ` ${this.rendered(this.flowStart(pair), this.valueEnd(pair), null)}`,
        below: [],
      }
    const [inline = '', ...below] = this.linesOf(
      this.rendered(colonAfter(this.source, pair) + 1, this.segmentEnd(pair), this),
    )
    return {
      before: this.dedented(this.linesOf(this.before(pair))).filter((line) => line.trim() !== ''),
      inline,
      below: this.dedented(below),
    }
  }

  private flowStart(pair: Pair): number {
    const after = colonAfter(this.source, pair) + 1
    return after + (this.source.slice(after).match(/^\s*/)?.[0].length ?? 0)
  }

  /** The value of an entry of a block mapping, with the edits made in it: for a place where it cannot stand as lines. */
  private blockValue(pair: Pair): unknown {
    const { inline, below } = this.takenLines(pair)
    const [only] = Object.values(
      (apiDocument([`it:${inline}`, ...below].join('\n')).toJS() ?? {}) as object,
    ) as unknown[]
    return only ?? null
  }

  private flowText(pair: Pair, indentation: string): string {
    if (!this.isFlow) return JSON.stringify(this.blockValue(pair))
    const text = this.rendered(this.flowStart(pair), this.valueEnd(pair), null)
    if (!text.includes('\n')) return text
    const own = this.source.slice(this.lineStart(this.keyStart(pair)), this.keyStart(pair))
    return own.trim() === '' ? text.replaceAll(`\n${own}`, `\n${indentation}`) : text
  }

  // Writing

  private keyText(pair: Pair, name: string | null): string {
    const key = keyOf(pair)
    const [start = 0, end = 0] = key?.range ?? []
    if (name === null || !key) return this.source.slice(start, end)
    const quote = { QUOTE_DOUBLE: '"', QUOTE_SINGLE: "'" }[String(key.type)] ?? ''
    return `${quote}${name}${quote}`
  }

  /** The mapping as it is now, from its start to its end. */
  text(): string {
    if (!this.isFlow) return this.asBlock()
    return this.isLinesNow() ? this.asLines() : this.asFlow()
  }

  /** Whether a flow mapping that is an item of a list is better written as lines: lines come into it. */
  private isLinesNow(): boolean {
    const takesLines = this.entries.some(
      (entry) => 'fresh' in entry && isTaken(entry.fresh.value) && entry.fresh.value.isLines,
    )
    return (
      takesLines && /^ *(- +)+$/.test(this.source.slice(this.lineStart(this.start), this.start))
    )
  }

  private asLines(): string {
    const lines = this.entries.flatMap((entry): readonly string[] => {
      if ('fresh' in entry) return blockLines(entry.fresh)
      const { pair, renamed, isGone } = entry
      if (isGone) return []
      const value = this.rendered(this.flowStart(pair), this.valueEnd(pair), this)
      return [`${this.keyText(pair, renamed)}: ${value}`]
    })
    return lines.join(`${this.eol}${' '.repeat(this.column)}`)
  }

  private asBlock(): string {
    const indentation = ' '.repeat(this.column)
    const pieces = this.entries.flatMap((entry): readonly string[] => {
      if ('fresh' in entry)
        return blockLines(entry.fresh).map(
          (line) => `${line === '' ? '' : indentation}${line}${this.eol}`,
        )
      const { pair, renamed, isGone } = entry
      const before = this.before(pair)
      if (isGone) return this.isElsewhere(pair) ? [] : [before, ...this.comment(pair, indentation)]
      const rest = this.rendered(keyOf(pair)?.range?.[1] ?? 0, this.segmentEnd(pair), this)
      return [`${before}${indentation}${this.keyText(pair, renamed)}${rest}`]
    })
    const written = pieces.filter((piece) => piece !== '')
    if (this.entries.every((entry) => 'isGone' in entry && entry.isGone))
      return `{}${this.eol}${written.join('')}`
    const whole = written
      .map((piece, index) =>
        index < written.length - 1 && !piece.endsWith('\n') ? `${piece}${this.eol}` : piece,
      )
      .join('')
      .replace(/^ +/, '')
    // A text that ended without a line break does so still.
    return this.source[this.end - 1] === '\n' ? whole : whole.replace(/\r?\n$/, '')
  }

  /** Whether an entry that has gone is written elsewhere, with its comments. */
  private isElsewhere(pair: Pair): boolean {
    return this.moved.has(pair)
  }

  readonly moved = new Set<Pair>()

  /** The comment on the line of an entry of one line that goes: it stays, on a line of its own. */
  private comment(pair: Pair, indentation: string): readonly string[] {
    const rest = this.source.slice(this.valueEnd(pair), this.segmentEnd(pair)).trim()
    return isComment(rest) ? [`${indentation}${rest}${this.eol}`] : []
  }

  private asFlow(): string {
    const style = this.flowStyle()
    const inner = this.node.items
    const leads = new Map(inner.map((pair, index) => [pair, this.flowLead(inner, index)] as const))
    const left = this.entries.filter((entry) => 'fresh' in entry || !entry.isGone)
    if (left.length === 0) return '{}'
    const between = style.lead === '' ? ' ' : style.lead
    const texts = left.map((entry, index) => {
      const lead = index === 0 ? style.lead : between
      if ('fresh' in entry) return `${lead}${flowEntry(entry.fresh, style)}`
      const { pair, renamed } = entry
      const own = leads.get(pair) ?? lead
      const rest = this.rendered(keyOf(pair)?.range?.[1] ?? 0, this.valueEnd(pair), this)
      const isFirst = index === 0 && own.trim() === ''
      return `${isFirst ? style.lead : own || (index === 0 ? '' : ' ')}${this.keyText(pair, renamed)}${rest}`
    })
    const last = inner.at(-1)
    const tail = last
      ? this.source.slice(this.valueEnd(last), this.end - 1).replace(/^\s*,/, '')
      : ''
    return `{${texts.join(',')}${tail}}`
  }

  private flowLead(pairs: readonly Pair[], index: number): string {
    const pair = pairs[index]
    const previous = pairs[index - 1]
    if (!pair) return ''
    const start = previous ? this.source.indexOf(',', this.valueEnd(previous)) : this.start
    return this.source.slice(start + 1, this.keyStart(pair))
  }

  private flowStyle(): FlowStyle {
    const [first] = this.node.items
    const last = this.node.items.at(-1)
    const lead = first ? this.flowLead(this.node.items, 0) : ''
    const own = lead.slice(lead.lastIndexOf('\n') + 1)
    const close = last ? this.source.slice(this.valueEnd(last), this.end - 1) : ''
    const outer = close.slice(close.lastIndexOf('\n') + 1)
    const more = own.startsWith(outer) ? own.slice(outer.length) : ''
    return {
      isQuoted: first ? this.source[this.keyStart(first)] === '"' : this.isJson,
      lead: lead.trim() === '' ? lead : ' ',
      step: lead.includes('\n') && more !== '' ? more : '  ',
    }
  }
}
