/** Control characters: no name holds one, no database takes a NUL, and a line of a file must not become two. */
import { Refusal } from '../changes/errors'

const inText = /[\0-\x08\x0b\x0c\x0e-\x1f\x7f]/
const inLine = /[\0-\x1f\x7f]/

const named = (text: string, control: RegExp): string =>
  `U+${(control.exec(text)?.[0] ?? '').charCodeAt(0).toString(16).toUpperCase().padStart(4, '0')}`

const refusedAt = (path: string, text: string, control: RegExp): Refusal => {
  const says = `It holds the control character ${named(text, control)}. Leave it out.`
  return new Refusal('invalid', `${path === '' ? 'The body' : path}: ${says}`, [{ path, says }])
}

/** Refuses a text of several lines with any other control character than tab and line ends. */
export function checkText(text: string, path = ''): void {
  if (inText.test(text)) throw refusedAt(path, text, inText)
}

/** Refuses a text of one line with any control character. */
export function checkLine(text: string, path: string): void {
  if (inLine.test(text)) throw refusedAt(path, text, inLine)
}

/** The same as `checkText` of every string and name in a value of JSON, with where it is. */
export function checkValue(value: unknown, path = ''): void {
  if (typeof value === 'string') {
    checkText(value, path)
    return
  }
  if (typeof value !== 'object' || value === null) return
  if (Array.isArray(value)) {
    for (const [index, item] of value.entries()) checkValue(item, `${path}[${index}]`)
    return
  }
  for (const [name, item] of Object.entries(value)) {
    checkLine(name, path)
    checkValue(item, path === '' ? name : `${path}.${name}`)
  }
}
