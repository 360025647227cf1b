/** One object on its way to another version: what its rule reads, edits, notes, and leaves to a person. */
import { asText } from '../../objects'
import { type Document, isAlias, isMap, isScalar, isSeq, type Scalar, type YAMLMap } from 'yaml'
import type { Said } from '../../contract'
import { Editor } from './editor'
import { type Fresh, fresh, type FreshValue } from './fresh'
import { said } from './says'

export interface NotedChange {
  readonly path: string
  readonly says: string
}

/** Something would have to be changed that stands in several places at once. */
export class SharedPlace extends Error {
  constructor(readonly path: string) {
    super(path)
  }
}

export class Conversion {
  readonly editor: Editor
  readonly changes: NotedChange[] = []
  readonly decide: string[] = []

  constructor(
    source: string,
    private readonly document: Document,
    readonly root: YAMLMap,
    /** The version that it is written in. */
    readonly from: string,
  ) {
    this.editor = new Editor(source, document, root)
  }

  note(path: string, { says }: Said): void {
    this.changes.push({ path, says })
  }

  /** Leaves the object to a person. */
  ask({ says }: Said): void {
    this.decide.push(says)
  }

  // Reading

  node(map: YAMLMap, key: string): unknown {
    const node = map.get(key, true)
    return isAlias(node) ? node.resolve(this.document) : node
  }

  /** Whether nothing is said under a key. */
  isAbsent(map: YAMLMap, key: string): boolean {
    const node = this.node(map, key)
    return node === undefined || node === null || (isScalar(node) && node.value === null)
  }

  scalar(map: YAMLMap, key: string): Scalar | null {
    const node = this.node(map, key)
    return isScalar(node) && node.value !== null ? node : null
  }

  text(map: YAMLMap, key: string): string | null {
    const value = this.scalar(map, key)?.value
    return typeof value === 'string' ? value : null
  }

  value(map: YAMLMap, key: string): unknown {
    return this.editor.jsonOf(this.node(map, key))
  }

  /** A mapping under a key, to be changed; null where there is none. */
  mapAt(map: YAMLMap, key: string, path: string): YAMLMap | null {
    const node = map.get(key, true)
    if (isAlias(node) && isMap(node.resolve(this.document))) throw new SharedPlace(path)
    return isMap(node) ? node : null
  }

  /** The mappings of a list under a key, to be changed, each with its path. */
  mapsAt(
    map: YAMLMap,
    key: string,
    path: string,
  ): readonly { readonly map: YAMLMap; readonly path: string }[] {
    const node = map.get(key, true)
    if (isAlias(node)) throw new SharedPlace(path)
    if (!isSeq(node)) return []
    return node.items.flatMap((item, index) => {
      if (isAlias(item)) throw new SharedPlace(`${path}[${index}]`)
      return isMap(item) ? [{ map: item, path: `${path}[${index}]` }] : []
    })
  }

  // Editing

  rename(map: YAMLMap, path: string, from: string, to: string): void {
    this.editor.map(map).rename(from, to)
    this.note(`${path}.${from}`, said('renamed', { from, to }))
  }

  remove(map: YAMLMap, path: string, key: string): void {
    if (map.get(key, true) === undefined) return
    this.editor.map(map).remove(key)
    this.note(`${path}.${key}`, said('gone', { field: key }))
  }

  /** Writes out what was the default where nothing is said. */
  default(
    map: YAMLMap,
    path: string,
    key: string,
    value: FreshValue,
    text = `${key}: ${asText(value)}`,
  ): void {
    if (!this.isAbsent(map, key)) return
    this.editor.map(map).add(fresh(key, value))
    this.note(`${path}.${key}`, said('written', { text }))
  }

  /** An entry taken out of where it stands, under another key; nothing where it is absent. */
  taken(map: YAMLMap, key: string, as: string): readonly Fresh[] {
    if (this.isAbsent(map, key)) return []
    const taken = this.editor.take(map, key)
    return taken ? [fresh(as, taken)] : []
  }
}
