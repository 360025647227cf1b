/** A rendered object as text, each line with the layer it came from. */
import { isMap, isNode, isScalar, isSeq, LineCounter } from 'yaml'
import {
  apiDocument,
  asText,
  escapePath,
  isRecord,
  itemPart,
  keyOf,
  pathSteps,
  writeYaml,
} from '../objects'
import type { RenderedObject } from './layers'
import { objectText } from './parse'

export interface LayerLine {
  readonly text: string
  /** The layer the line came from; null for lines that only hold others together. */
  readonly from: string | null
}

const sameValue = (a: unknown, b: unknown): boolean => JSON.stringify(a) === JSON.stringify(b)

/** The fields that tell the items of a list apart in the paths of `from`; none for a list that is one value. */
function keysIn(from: RenderedObject['from'], path: string): readonly string[] {
  const prefix = `${path}/[`
  const sample = [...from.keys()].find((candidate) => candidate.startsWith(prefix))
  const [step] = pathSteps(sample?.slice(path.length) ?? '')
  return step?.item?.map(([key]) => key) ?? []
}

/** An item of a list as a part of a path, by those of its fields. */
const partOf = (item: unknown, keys: readonly string[]): string =>
  itemPart(
    keys.map((key): readonly [string, string] => {
      if (key === '') return [key, asText(item)]
      return [key, (isRecord(item) ? keyOf(item, key) : null) ?? '']
    }),
  )

/** A rendered object as lines of YAML, each with its layer. What is written reads back as the object. */
export function layerLines({ object, from }: RenderedObject): readonly LayerLine[] {
  const text = writeYaml(object)
  const counter = new LineCounter()
  const document = apiDocument(text, counter)
  if (document.errors.length > 0 || !sameValue(document.toJS(), object))
    throw new Error(`${objectText(object)} does not read back as it is written`)
  const layers: (string | null)[] = []
  const lineAt = (offset: number): number => counter.linePos(offset).line - 1
  /** All lines of a node come from one layer. */
  const mark = (first: number, last: number, layer: string | null): void => {
    for (let line = lineAt(first); line <= lineAt(Math.max(first, last - 1)); line++)
      layers[line] ??= layer
  }
  const visitNode = (node: unknown, path: string, begin: number): void => {
    if (!isNode(node) || !node.range) return
    const [, valueEnd] = node.range
    const layer = from.get(path)
    if (layer !== undefined) {
      mark(begin, valueEnd, layer)
      return
    }
    if (isMap(node))
      for (const { key, value } of node.items) {
        const name = isScalar(key) ? String(key.value) : ''
        const keyBegin = isNode(key) && key.range ? key.range[0] : begin
        visitNode(value, `${path}/${escapePath(name)}`, keyBegin)
      }
    else if (isSeq(node)) {
      const keys = keysIn(from, path)
      for (const item of node.items) {
        const value: unknown = isNode(item) ? item.toJS(document) : null
        const itemBegin = isNode(item) && item.range ? item.range[0] : begin
        visitNode(item, `${path}/${partOf(value, keys)}`, itemBegin)
      }
    }
  }
  visitNode(document.contents, '', 0)
  return text
    .replace(/\n$/, '')
    .split('\n')
    .map((line, i) => ({ text: line, from: layers[i] ?? null }))
}
