/** What a request says, as a value: every body of the API and of the pages comes through here. */
import { rm } from 'node:fs/promises'
import type { IncomingMessage } from 'node:http'
import { Refusal } from '../changes/errors'
import { checkLine, checkText, checkValue } from './controls'
import { jsonOf, textOf } from './json'
import { ordinaryJson } from './limits'
import { takeBody } from './take'

/** The bytes of a body of at most 8 MiB. */
export async function bytesOf(request: IncomingMessage): Promise<Buffer> {
  const body = await takeBody(request)
  if (body.bytes) return body.bytes
  await rm(body.file, { force: true })
  throw new Refusal('too-large', 'The body is too large to be read here.')
}

/** A body as text, without control characters that no text has. */
export async function textBody(request: IncomingMessage): Promise<string> {
  const text = textOf(await bytesOf(request))
  checkText(text)
  return text
}

/** A body as JSON whose strings hold no control characters; nothing where there is none. */
export async function jsonBody(request: IncomingMessage): Promise<unknown> {
  return checkedJson(await bytesOf(request))
}

export function checkedJson(bytes: Buffer): unknown {
  const value = jsonOf(bytes, ordinaryJson)
  checkValue(value)
  return value
}

/** Refuses an address whose path or query holds a control character, or is not validly encoded. */
export function checkAddress(url: string): void {
  const at = url.indexOf('?')
  const path = at < 0 ? url : url.slice(0, at)
  let plain: string
  try {
    plain = decodeURIComponent(path)
  } catch {
    throw new Refusal('invalid', 'The address is not validly encoded.')
  }
  checkLine(plain, 'The address')
  if (at < 0) return
  for (const [name, value] of new URLSearchParams(url.slice(at))) {
    checkLine(name, 'The address')
    checkLine(value, name.slice(0, 60))
  }
}
