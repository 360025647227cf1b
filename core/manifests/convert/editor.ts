/** The text of one object with single places edited: everything that is not touched is byte for byte as it was. */
import { type Document, isMap, isScalar, type Scalar, type YAMLMap } from 'yaml'
import { EditedMap } from './edited-map'
import type { Taken } from './fresh'

interface Replacement {
  readonly start: number
  readonly end: number
  readonly text: string
}

export class Editor {
  private readonly maps = new Map<YAMLMap, EditedMap>()
  private readonly replacements: Replacement[] = []
  private readonly eol: string
  private readonly isJson: boolean

  constructor(
    private readonly source: string,
    private readonly document: Document,
    private readonly root: YAMLMap,
  ) {
    const newline = source.indexOf('\n', root.range?.[0] ?? 0)
    this.eol = newline > 0 && source[newline - 1] === '\r' ? '\r\n' : '\n'
    const [first] = root.items
    this.isJson = root.flow === true && isScalar(first?.key) && first.key.type === 'QUOTE_DOUBLE'
  }

  map(node: YAMLMap): EditedMap {
    const before = this.maps.get(node)
    if (before) return before
    const edited = new EditedMap(
      this.source,
      node,
      (start, end, without) => this.rendered(start, end, without),
      this.eol,
      this.isJson,
    )
    this.maps.set(node, edited)
    return edited
  }

  /** The entry of a key, taken out of where it stands; its comments go with it. */
  take(node: YAMLMap, key: string): Taken | null {
    const edited = this.map(node)
    const entry = edited.entry(key)
    if (!entry) return null
    edited.moved.add(entry.taken)
    edited.remove(key)
    return entry
  }

  /** Writes a scalar anew; text that was quoted stays so. */
  replace(node: Scalar, value: string | number): void {
    const [start, end] = node.range ?? [0, 0]
    const quote = { QUOTE_DOUBLE: '"', QUOTE_SINGLE: "'" }[String(node.type)] ?? ''
    this.replacements.push({
      start,
      end,
      text: typeof value === 'number' ? String(value) : `${quote}${value}${quote}`,
    })
  }

  /** Writes a scalar anew, without quotes. */
  replaceBare(node: Scalar, text: string): void {
    const [start, end] = node.range ?? [0, 0]
    this.replacements.push({ start, end, text })
  }

  sourceOf(node: Scalar): string {
    const [start, end] = node.range ?? [0, 0]
    return this.source.slice(start, end)
  }

  jsonOf(node: unknown): unknown {
    if (isScalar(node)) return node.value
    return isMap(node) || (typeof node === 'object' && node !== null && 'toJS' in node)
      ? (node as YAMLMap).toJS(this.document)
      : null
  }

  /** The edits of the object as one: from where to where, and what stands there from now on. */
  edit(): Replacement {
    const { start, end } = this.map(this.root)
    return { start, end, text: this.rendered(start, end, null) }
  }

  private rendered(start: number, end: number, without: EditedMap | null): string {
    const edits = [
      ...[...this.maps.values()]
        .filter((edited) => edited.isEdited && edited !== without)
        .map((edited) => ({ start: edited.start, end: edited.end, text: () => edited.text() })),
      ...this.replacements.map((each) => ({ ...each, text: () => each.text })),
    ]
      .filter((each) => each.start >= start && each.end <= end)
      .sort((a, b) => a.start - b.start || b.end - a.end)
    let at = start
    let text = ''
    for (const each of edits) {
      if (each.start < at) continue
      text += this.source.slice(at, each.start) + each.text()
      at = each.end
    }
    return text + this.source.slice(at, end)
  }
}
