/** Entries that are written anew into a mapping: of plain values, of entries of their own, and of what stood elsewhere before. */
import type { Pair, Scalar } from 'yaml'

/** An entry taken out of a mapping, to be written under another key or in another place, with its comments. */
export interface Taken {
  readonly taken: Pair
  /** As lines of a block mapping, relative to its key: comments before it, what follows the colon, and the lines below. */
  readonly block: () => TakenLines
  /** Its value as it stands in a flow mapping, where it did. */
  readonly flow: (indentation: string) => string
  /** Whether it stood in a block mapping. */
  readonly isLines: boolean
}

export interface TakenLines {
  readonly before: readonly string[]
  readonly inline: string
  readonly below: readonly string[]
}

export type FreshValue =
  | string
  | number
  | boolean
  | Taken
  /** A mapping. */
  | readonly Fresh[]
  /** A list of mappings. */
  | { readonly items: readonly (readonly Fresh[])[] }
  /** A list of words. */
  | { readonly words: readonly string[] }
  /** A scalar that stood elsewhere, written as it was. */
  | { readonly scalar: Scalar; readonly source: string }

export interface Fresh {
  readonly key: string
  readonly value: FreshValue
}

export const fresh = (key: string, value: FreshValue): Fresh => ({ key, value })

export const isTaken = (value: FreshValue): value is Taken =>
  typeof value === 'object' && 'taken' in value

const isEntries = (value: FreshValue): value is readonly Fresh[] => Array.isArray(value)

/** Texts that a reader of YAML might take for something else than text are quoted. */
const plain = (text: string): string =>
  /^[A-Za-z_][\w./-]*$/.test(text) && !/^(y|n|yes|no|on|off|true|false|null)$/i.test(text)
    ? text
    : JSON.stringify(text)

const step = '  '
const indented = (lines: readonly string[], by = step): readonly string[] =>
  lines.map((line) => (line === '' ? line : `${by}${line}`))

/** An entry as lines of a block mapping that begins in the first column. */
export function blockLines({ key, value }: Fresh): readonly string[] {
  const name = plain(key)
  if (typeof value === 'string') return [`${name}: ${plain(value)}`]
  if (typeof value !== 'object') return [`${name}: ${String(value)}`]
  if (isTaken(value)) {
    const { before, inline, below } = value.block()
    return [...before, `${name}:${inline}`, ...below]
  }
  if (isEntries(value))
    return [`${name}:`, ...value.flatMap((entry) => indented(blockLines(entry)))]
  if ('words' in value) return [`${name}: [${value.words.map(plain).join(', ')}]`]
  if ('source' in value) return [`${name}: ${value.source}`]
  return [
    `${name}:`,
    ...value.items.flatMap((item) => {
      const lines = indented(item.flatMap(blockLines), `${step}${step}`)
      return lines.map((line, index) =>
        index === 0 ? `${step}- ${line.slice(step.length * 2)}` : line,
      )
    }),
  ]
}

/** How a flow mapping is written. */
export interface FlowStyle {
  /** Whether its keys are quoted: JSON. */
  readonly isQuoted: boolean
  /** What stands before each key: a line break with its indentation, a blank, or nothing. */
  readonly lead: string
  /** One level of indentation. */
  readonly step: string
}

const indentationOf = (lead: string): string => lead.slice(lead.lastIndexOf('\n') + 1)

function flowValue(value: FreshValue, style: FlowStyle): string {
  const { isQuoted, lead, step: more } = style
  const isMultiline = lead.includes('\n')
  const inner = isMultiline ? `${lead}${more}` : lead
  const close = isMultiline ? lead : ''
  const listed = (texts: readonly string[], [open, end]: readonly [string, string]): string =>
    `${open}${texts.map((text, index) => `${isMultiline || index > 0 ? inner || ' ' : ''}${text}`).join(',')}${close}${end}`
  if (typeof value === 'string') return isQuoted ? JSON.stringify(value) : plain(value)
  if (typeof value !== 'object') return String(value)
  if (isTaken(value)) return value.flow(indentationOf(lead))
  const inside = { ...style, lead: inner }
  if (isEntries(value))
    return listed(
      value.map((entry) => flowEntry(entry, inside)),
      ['{', '}'],
    )
  if ('words' in value)
    return `[${value.words.map((word) => (isQuoted ? JSON.stringify(word) : plain(word))).join(', ')}]`
  if ('source' in value) return value.source
  return listed(
    value.items.map((item) => flowValue(item, inside)),
    ['[', ']'],
  )
}

/** An entry as it stands in a flow mapping. */
export const flowEntry = ({ key, value }: Fresh, style: FlowStyle): string =>
  `${style.isQuoted ? JSON.stringify(key) : plain(key)}: ${flowValue(value, style)}`
