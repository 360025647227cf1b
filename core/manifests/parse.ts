/**
 * Manifests out of text: YAML of several documents or JSON, lists opened. A document that does not parse is named by line and
 * column and the others are still read. Aliases are counted before they are followed, so that none can explode.
 */
import { apiDocuments, isRecord } from '../objects'
import { LineCounter, type Document } from 'yaml'
import type { ApiObject } from '../objects'
import { said } from './says'
import { quoted, type Said } from '../contract'

export interface ManifestDocument {
  /** Its place in the text, from 0. */
  readonly index: number
  /** The line on which it begins, from 1. */
  readonly line: number
  readonly object: WrittenObject
}

export interface WrittenObject extends ApiObject {
  readonly apiVersion: string
  readonly metadata: {
    readonly name: string
    readonly namespace?: string
    readonly labels?: Readonly<Record<string, string>>
    readonly annotations?: Readonly<Record<string, string>>
    readonly [field: string]: unknown
  }
  readonly [field: string]: unknown
}

export interface TextProblem extends Said {
  readonly line: number
  readonly column: number
}

export interface ParsedManifests {
  readonly documents: readonly ManifestDocument[]
  readonly problems: readonly TextProblem[]
}

export const mostBytes = 6 * 1024 * 1024
export const mostDocuments = 1000
/** Lines and entries of one text, and values of one document with its aliases written out. */
export const mostPieces = 200_000
/** How often aliases of one document may be followed in all. */
const mostAliases = 200

const problemAt = (counter: LineCounter, offset: number, problem: Said): TextProblem => {
  const { line, col } = counter.linePos(offset)
  return { line: Math.max(1, line), column: Math.max(1, col), ...problem }
}

const plain = (message: string): string =>
  message
    .split('\n')[0]
    ?.replace(/ at line \d+, column \d+:?$/, '')
    .replace(/:$/, '') ?? message

/** What is wrong with the outside of an object, or null. */
function misshapen(value: unknown): Said | null {
  if (!isRecord(value)) return said('document.no-object')
  if (typeof value['apiVersion'] !== 'string' || value['apiVersion'] === '')
    return said('document.missing', { field: 'apiVersion' })
  if (typeof value['kind'] !== 'string' || value['kind'] === '')
    return said('document.missing', { field: 'kind' })
  if (value['kind'].endsWith('List') && Array.isArray(value['items'])) return null
  if (!isRecord(value['metadata'])) return said('document.missing', { field: 'metadata' })
  if (typeof value['metadata']['name'] !== 'string' || value['metadata']['name'] === '')
    return said('document.missing', { field: 'metadata.name' })
  const { namespace } = value['metadata']
  return namespace === undefined || namespace === null || typeof namespace === 'string'
    ? null
    : said('document.namespace')
}

const refused = (why: Said): ParsedManifests => ({
  documents: [],
  problems: [{ line: 1, column: 1, ...why }],
})

/** Whether a text is more than is read at once: counted before any of it is parsed. */
function sizeObjection(text: string): Said | null {
  if (text.length > mostBytes)
    return said('text-too-long', { textCount: text.length / 1e6, mostBytes: mostBytes / 1e6 })
  const parsedCount = (text.match(/^---(?=\s|$)/gm)?.length ?? 0) + (/^---/.test(text) ? 0 : 1)
  if (parsedCount > mostDocuments) return said('too-many-documents', { parsedCount, mostDocuments })
  let pieces = 1
  for (let at = 0; at < text.length; at++) {
    const character = text.charCodeAt(at)
    // Line ends, commas, and what opens a list or a map within a line.
    if (character === 10 || character === 44 || character === 91 || character === 123) pieces++
  }
  return pieces > mostPieces ? said('too-many-pieces', { pieces, mostPieces }) : null
}

/** How many values there are, texts by their length, each alias with all it stands for; no further than `limit`. */
function sizeOf(value: unknown, limit: number): number {
  if (typeof value === 'string') return 1 + Math.floor(value.length / 32)
  if (typeof value !== 'object' || value === null) return 1
  let size = 1
  for (const item of Object.values(value)) {
    if (size > limit) return size
    size += sizeOf(item, limit - size)
  }
  return size
}

/** Reads a text. Nothing is thrown: what cannot be read is among the problems. */
export function parseManifests(text: string): ParsedManifests {
  const objection = sizeObjection(text)
  if (objection) return refused(objection)
  const counter = new LineCounter()
  const problems: TextProblem[] = []
  let parsed: readonly Document.Parsed[]
  try {
    parsed = apiDocuments(text, counter)
  } catch (error) {
    // The reader goes down a level of the text with a level of its own.
    if (error instanceof RangeError) return refused(said('text-too-deep'))
    throw error
  }
  const documents: ManifestDocument[] = []
  const seen = new Map<string, number>()
  parsed.forEach((document, index) => {
    const offset = document.contents?.range?.[0] ?? document.range[0]
    const { line } = counter.linePos(offset)
    for (const error of document.errors)
      problems.push(
        problemAt(
          counter,
          error.pos[0],
          /tab/i.test(error.message)
            ? said('tab-stands-where')
            : quoted('yaml', plain(error.message)),
        ),
      )
    if (document.errors.length > 0 || document.contents === null) return
    const value = valueOf(document)
    if (!value.ok) {
      problems.push(problemAt(counter, offset, quoted('document.unreadable', value.says)))
      return
    }
    // A document with nothing in it, as after a last “---”, is nothing.
    for (const object of value.value === null ? [] : opened(value.value)) {
      const wrong = misshapen(object)
      if (wrong !== null) {
        problems.push(problemAt(counter, offset, wrong))
        continue
      }
      const written = tidied(object as WrittenObject)
      const key = objectKey(written)
      const first = seen.get(key)
      if (first !== undefined) {
        problems.push(
          problemAt(
            counter,
            offset,
            said('written-second-time', { kind: written.kind, name: written.metadata.name, first }),
          ),
        )
        continue
      }
      seen.set(key, line)
      documents.push({ index, line: Math.max(1, line), object: written })
    }
  })
  return { documents, problems }
}

function valueOf(
  document: Document,
): { readonly ok: true; readonly value: unknown } | { readonly ok: false; readonly says: string } {
  try {
    const value: unknown = document.toJS({ maxAliasCount: mostAliases })
    // A text of its own has at most `mostBytes`; more than that is aliases.
    return sizeOf(value, mostPieces + mostBytes / 32) > mostPieces + mostBytes / 32
      ? { ok: false, says: 'Its aliases stand for too much. Write out what is needed of it.' }
      : { ok: true, value }
  } catch {
    return {
      ok: false,
      says: `Its aliases are followed more than ${mostAliases} times. Write out what they stand for.`,
    }
  }
}

/** Items of a list, lists in lists opened too. */
function opened(value: unknown, depth = 0): readonly unknown[] {
  if (
    isRecord(value) &&
    typeof value['kind'] === 'string' &&
    value['kind'].endsWith('List') &&
    Array.isArray(value['items']) &&
    depth < 8
  ) {
    const own = value['kind'].slice(0, -4)
    return value['items'].flatMap((item: unknown) =>
      opened(
        own !== '' && isRecord(item)
          ? { apiVersion: value['apiVersion'], kind: own, ...item }
          : item,
        depth + 1,
      ),
    )
  }
  return [value]
}

const clusterWideKinds = new Set([
  'Namespace',
  'Node',
  'PersistentVolume',
  'StorageClass',
  'PriorityClass',
  'ClusterRole',
  'ClusterRoleBinding',
  'IngressClass',
  'CustomResourceDefinition',
  'ValidatingWebhookConfiguration',
  'ValidatingAdmissionPolicy',
  'ValidatingAdmissionPolicyBinding',
  'MutatingWebhookConfiguration',
  'RuntimeClass',
  'CSINode',
  'CSIDriver',
  'APIService',
  'GatewayClass',
])

export const isClusterWide = (kind: string): boolean => clusterWideKinds.has(kind)

/** Fields that a live object has and a manifest does not: what an export carries along. */
const notWritten = [
  'uid',
  'resourceVersion',
  'generation',
  'creationTimestamp',
  'managedFields',
  'selfLink',
  'deletionTimestamp',
]

/** A live object in the form in which it could be written, or null where it has no name or version. */
export function writtenForm(object: ApiObject): WrittenObject | null {
  const fields: Readonly<Record<string, unknown>> = { ...object }
  const { apiVersion, metadata } = fields
  return typeof apiVersion === 'string' &&
    isRecord(metadata) &&
    typeof metadata['name'] === 'string'
    ? {
        ...object,
        apiVersion,
        metadata: { ...metadata, name: metadata['name'] } as WrittenObject['metadata'],
      }
    : null
}

/** An object as it is written: with its namespace, without its status and what the API adds. */
export function tidied(object: WrittenObject): WrittenObject {
  const { status: _status, ...rest } = object
  const metadata = Object.fromEntries(
    Object.entries(rest.metadata).filter(
      ([name, value]) => !notWritten.includes(name) && value !== null,
    ),
  )
  const namespaced = isClusterWide(object.kind)
    ? Object.fromEntries(Object.entries(metadata).filter(([name]) => name !== 'namespace'))
    : { ...metadata, namespace: object.metadata.namespace ?? 'default' }
  return { ...rest, metadata: namespaced as WrittenObject['metadata'] }
}

/** `Kind/namespace/name`; the namespace is empty for what belongs to the whole cluster. */
export const objectKey = (object: {
  readonly kind: string
  readonly metadata?:
    | { readonly name?: string | undefined; readonly namespace?: string | null | undefined }
    | null
    | undefined
}): string =>
  `${object.kind}/${isClusterWide(object.kind) ? '' : (object.metadata?.namespace ?? 'default')}/${object.metadata?.name ?? ''}`

export const objectText = (object: WrittenObject): string =>
  `${object.kind} ${object.metadata.namespace === undefined || isClusterWide(object.kind) ? '' : `${object.metadata.namespace}/`}${object.metadata.name}`
