/**
 * Which objects of a text are written in a version of the open API that stops being served, by the table of computations 9.
 * Documents are read as they are written, with the line of each apiVersion; what cannot be read is listed, and the others
 * are still. O(text).
 */
import {
  type Document,
  isAlias,
  isMap,
  isScalar,
  isSeq,
  LineCounter,
  type Node,
  type YAMLMap,
} from 'yaml'
import { readDocuments } from '../objects'
import { isServedUntil, removalOf } from './removed'

export interface GoingObject {
  /** From 0; every document of the text counts, empty and unreadable ones too. */
  readonly document: number
  /** Of its apiVersion, from 1. */
  readonly line: number
  readonly apiVersion: string
  readonly kind: string
  readonly namespace: string | null
  readonly name: string | null
  /** The first minor that does not serve it. */
  readonly removedIn: string
  /** Whether the target does not serve it any more. */
  readonly gone: boolean
  readonly successor: string | null
}

export interface UnreadDocument {
  readonly document: number
  readonly line: number
  readonly says: string
}

export interface RemovalAudit {
  /** How many objects were read; those of a list singly. */
  readonly objects: number
  readonly found: readonly GoingObject[]
  readonly unreadable: readonly UnreadDocument[]
}

/** Lists within lists are opened so deep; no deeper one is anything that was meant. */
const mostDepth = 20

const plainError = (message: string): string =>
  (message.split('\n')[0] ?? message).replace(/ at line \d+, column \d+:?$/, '').replace(/:$/, '')

/** An empty document counts and holds nothing. */
const isNothing = (node: Node): boolean => isScalar(node) && node.value === null

class Reader {
  readonly going: GoingObject[] = []
  readonly unreadable: UnreadDocument[] = []
  objects = 0

  constructor(
    private readonly counter: LineCounter,
    private readonly target: string,
    /** Told of every object that is read. */
    private readonly onObject: (document: Document, node: YAMLMap, index: number) => void,
  ) {}

  private lineOf(offset: number): number {
    return Math.max(1, this.counter.linePos(offset).line)
  }

  document(document: Document, index: number): void {
    const [error] = document.errors
    if (error) this.unread(index, error.pos[0], plainError(error.message))
    else if (document.contents && !isNothing(document.contents))
      this.object(document, document.contents, index, 0)
  }

  private unread(document: number, offset: number, says: string): void {
    this.unreadable.push({ document, line: this.lineOf(offset), says })
  }

  private resolved(document: Document, node: unknown): unknown {
    return isAlias(node) ? node.resolve(document) : node
  }

  private valueAt(document: Document, map: YAMLMap, key: string): unknown {
    return this.resolved(document, map.get(key, true))
  }

  private textAt(document: Document, map: unknown, key: string): string | null {
    if (!isMap(map)) return null
    const node = this.valueAt(document, map, key)
    return isScalar(node) && typeof node.value === 'string' && node.value !== '' ? node.value : null
  }

  /** Where the key of a mapping stands; the mapping itself where it has none. */
  private offsetOf(map: YAMLMap, key: string): number {
    const pair = map.items.find((entry) => isScalar(entry.key) && entry.key.value === key)
    return (isScalar(pair?.key) ? pair.key.range?.[0] : undefined) ?? map.range?.[0] ?? 0
  }

  private object(document: Document, given: Node, index: number, depth: number): void {
    const node = this.resolved(document, given)
    const offset = given.range?.[0] ?? 0
    if (!isMap(node)) {
      this.unread(index, offset, 'This is no object.')
      return
    }
    const apiVersion = this.textAt(document, node, 'apiVersion')
    const kind = this.textAt(document, node, 'kind')
    if (apiVersion === null || kind === null) {
      this.unread(index, offset, `It has no ${apiVersion === null ? 'apiVersion' : 'kind'}.`)
      return
    }
    const items = kind.endsWith('List') ? this.valueAt(document, node, 'items') : null
    if (isSeq(items) && depth < mostDepth) {
      for (const item of items.items) this.object(document, item as Node, index, depth + 1)
      return
    }
    this.objects += 1
    this.onObject(document, node, index)
    const row = removalOf(apiVersion, kind)
    if (!row) return
    const metadata = this.valueAt(document, node, 'metadata')
    this.going.push({
      document: index,
      line: this.lineOf(this.offsetOf(node, 'apiVersion')),
      apiVersion,
      kind,
      namespace: this.textAt(document, metadata, 'namespace'),
      name: this.textAt(document, metadata, 'name'),
      removedIn: row.removedIn,
      gone: !isServedUntil(row, this.target),
      successor: row.successor,
    })
  }
}

/** Audits a text for a minor release (`1.33`). */
export function auditManifests(text: string, target: string): RemovalAudit {
  const counter = new LineCounter()
  return auditDocuments(readDocuments(text, counter), counter, target)
}

/** Audits documents that were read with a counter of lines; each object is told as it is met. */
export function auditDocuments(
  documents: readonly Document[],
  counter: LineCounter,
  target: string,
  onObject: (document: Document, node: YAMLMap, index: number) => void = () => undefined,
): RemovalAudit {
  const reader = new Reader(counter, target, onObject)
  for (const [index, document] of documents.entries()) reader.document(document, index)
  return { objects: reader.objects, found: reader.going, unreadable: reader.unreadable }
}
