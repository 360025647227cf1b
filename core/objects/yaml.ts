/**
 * YAML as the open API’s own tools read it, and written so that every reader understands the same.
 * Read: version 1.1 with what those tools do differently (no base 60, no times of their own, `0o17` is a number, merge
 * keys work, a key stands once). Written: whatever one version or the other would take for something else is quoted.
 * Sources: YAML 1.1 and 1.2.2; the resolver of go-yaml 2 and 3.
 */
import {
  type Alias,
  type CollectionTag,
  Composer,
  Document,
  type DocumentOptions,
  isCollection,
  isScalar,
  isNode,
  LineCounter,
  parseAllDocuments,
  parseDocument,
  type ParseOptions,
  Parser,
  type ScalarTag,
  type SchemaOptions,
  type Tags,
  visit,
  YAMLParseError,
} from 'yaml'

/** Numbers that YAML 1.2 writes for base 8 and the API’s readers take as well. */
const octal: ScalarTag = {
  identify: () => false,
  default: true,
  tag: 'tag:yaml.org,2002:int',
  test: /^[-+]?0o[0-7]+$/,
  resolve: (text) => {
    const size = Number.parseInt(text.replace(/^[-+]?0o/, ''), 8)
    return text.startsWith('-') ? -size : size
  },
}

/** Numbers with a point or an exponent; a digit stands somewhere before it. */
const float: ScalarTag = {
  identify: (value) => typeof value === 'number',
  default: true,
  tag: 'tag:yaml.org,2002:float',
  test: /^[-+]?(?:\.[0-9][0-9_]*|[0-9][0-9_]*(?:\.[0-9_]*(?:[eE][-+]?[0-9]+)?|[eE][-+]?[0-9]+))$/,
  resolve: (text) => Number.parseFloat(text.replaceAll('_', '')),
}

/**
 * What is read of YAML 1.1 but not by the API’s readers: times stay text, 1:30 is no number, and neither is E382, which
 * the library’s own pattern lets pass. Infinity and what is no number keep their tags.
 */
const isForeign = (tag: ScalarTag | CollectionTag | string): boolean => {
  if (typeof tag === 'string') return false
  const isOwnFloat =
    tag.tag === float.tag &&
    'test' in tag &&
    ['1.5', '1.5e3'].some((text) => tag.test?.test(text) === true)
  return (
    isOwnFloat ||
    tag.tag === 'tag:yaml.org,2002:timestamp' ||
    ('format' in tag && tag.format === 'TIME')
  )
}

const apiTags = (tags: Tags): Tags => [octal, float, ...tags.filter((tag) => !isForeign(tag))]

const apiYaml: ParseOptions & DocumentOptions & SchemaOptions = {
  version: '1.1',
  merge: true,
  // The library compares each key with each; here they are told apart by what they are.
  uniqueKeys: false,
  customTags: apiTags,
}

const apiYamlWith = (lineCounter: LineCounter) =>
  ({ ...apiYaml, lineCounter, prettyErrors: false }) as const

const keyOf = (key: unknown): unknown => (isScalar(key) ? key.value : key)

/** Whether an alias stands inside what it refers to: that would never end. */
function isEndless(alias: Alias, path: readonly unknown[], document: Document.Parsed): boolean {
  const { source } = alias
  const isInside = path.some((step) => isCollection(step) && step.anchor === source)
  return isInside && path.includes(alias.resolve(document))
}

/**
 * Adds an error for each key that stands twice in a map, where it stands again (linear in the keys), and for each alias
 * inside its own anchor, in the words of go-yaml.
 */
function checkNodes(document: Document.Parsed): void {
  visit(document, {
    Map: (_at, map) => {
      const seen = new Set<unknown>()
      for (const { key } of map.items) {
        const value = keyOf(key)
        if (!seen.has(value)) {
          seen.add(value)
          continue
        }
        const at = isNode(key) ? (key.range?.[0] ?? 0) : 0
        document.errors.push(
          new YAMLParseError([at, at + 1], 'DUPLICATE_KEY', 'Map keys must be unique'),
        )
      }
    },
    Alias: (_at, alias, path) => {
      if (!isEndless(alias, path, document)) return
      const at = alias.range?.[0] ?? 0
      const says = `anchor '${alias.source}' value contains itself`
      document.errors.push(new YAMLParseError([at, at + 1], 'BAD_ALIAS', says))
    },
  })
  document.errors.sort((a, b) => a.pos[0] - b.pos[0])
}

/** The documents of a text with all their errors. */
export function apiDocuments(text: string, counter = new LineCounter()): Document.Parsed[] {
  const parsed = parseAllDocuments(text, apiYamlWith(counter))
  if ('empty' in parsed) return []
  for (const document of parsed) checkNodes(document)
  return parsed
}

/** The same of a text that is one document. */
export function apiDocument(text: string, counter = new LineCounter()): Document.Parsed {
  const document = parseDocument(text, apiYamlWith(counter))
  checkNodes(document)
  return document
}

/** Told how much of some work is done, from 0 to 1. */
export type Heard = (share: number) => void

/** The documents of a text, one after the other; none where there is nothing in it. */
export function readDocuments(
  source: string,
  lineCounter: LineCounter,
  heard: Heard = () => undefined,
): readonly Document.Parsed[] {
  const composer = new Composer(apiYamlWith(lineCounter))
  const documents: Document.Parsed[] = []
  for (const document of composer.compose(new Parser(lineCounter.addNewLine).parse(source))) {
    checkNodes(document)
    documents.push(document)
    heard(document.range[2] / Math.max(1, source.length))
  }
  return documents
}

/** Text that some reader takes for a number, a truth, nothing, a time or a merge, if it is not quoted. */
const isAmbiguous = (text: string): boolean =>
  text === '' ||
  /^[-+.]?\d/.test(text) ||
  /^[-+.]/.test(text) ||
  /^(?:y|yes|n|no|true|false|on|off|null|nil|~|<<|=)$/i.test(text) ||
  /[\u0085\u2028\u2029\ufeff]/.test(text)

/** A value as a YAML document that reads back as that value, whichever version reads it. Lines are never folded. */
export function yamlDocument(value: unknown): Document {
  const document = new Document(value, { aliasDuplicateObjects: false })
  visit(document, {
    Scalar: (_key, node) => {
      if (isScalar(node) && typeof node.value === 'string' && isAmbiguous(node.value))
        node.type = 'QUOTE_DOUBLE'
    },
  })
  return document
}

/** The same with every text in quotes: for readers that go by YAML 1.1 and guess. Text of several lines stands as a block. */
export function writeQuotedYaml(value: unknown): string {
  const document = yamlDocument(value)
  visit(document, {
    Scalar: (key, node) => {
      if (key === 'key' || typeof node.value !== 'string') return
      node.type = node.value.includes('\n') ? 'BLOCK_LITERAL' : 'QUOTE_DOUBLE'
    },
  })
  return document.toString({ lineWidth: 0, doubleQuotedMinMultiLineLength: 1_000_000 })
}

export const writeYaml = (value: unknown): string =>
  yamlDocument(value)
    .toString({ lineWidth: 0, doubleQuotedMinMultiLineLength: 1_000_000 })
    // Some readers end a line at these; they stand between double quotes only.
    .replace(
      /[\u0085\u2028\u2029\ufeff]/g,
      (character) => `\\u${character.charCodeAt(0).toString(16).padStart(4, '0')}`,
    )
