/** Computes the placement board off the page’s thread: each what-if anew, from the objects it was given. */
import { apiDocuments } from '~/core/objects'
import { type BoardObject, notPlaced, placed, type Placed, type WhatIf } from '~/core/placement'

export interface BoardQuestion {
  readonly id: number
  /** Null where nothing is asked yet: the objects are read and placed once, so that what is asked then is answered at once. */
  readonly whatIfs: readonly WhatIf[] | null
  /** Where the objects are, or exported ones as text, JSON or YAML: sent when they have changed, kept otherwise. */
  readonly source?: { readonly url: string } | { readonly pasted: string }
}

export interface BoardAnswer extends Placed {
  readonly id: number
}

let objects: readonly BoardObject[] = []

function readPasted(text: string): readonly BoardObject[] | string {
  try {
    const trimmed = text.trimStart()
    const values: readonly unknown[] =
      trimmed.startsWith('{') || trimmed.startsWith('[')
        ? [JSON.parse(text)].flat()
        : apiDocuments(text).map((document) => document.toJS({ maxAliasCount: 200 }) as unknown)
    return values.filter(
      (value): value is BoardObject => typeof value === 'object' && value !== null,
    )
  } catch (error) {
    return `This is neither JSON nor YAML that can be read: ${error instanceof Error ? (error.message.split('\n')[0] ?? '') : ''}`
  }
}

/** Lists opened, so that a pasted export has its objects side by side. */
const opened = (given: readonly BoardObject[]): readonly BoardObject[] =>
  given.flatMap((object) =>
    String(object.kind).endsWith('List') && Array.isArray(object['items'])
      ? opened(object['items'] as readonly BoardObject[])
      : [object],
  )

async function fetched(url: string): Promise<readonly BoardObject[] | string> {
  try {
    const response = await fetch(url)
    const answer: unknown = await response.json()
    if (response.ok && Array.isArray(answer)) return answer as readonly BoardObject[]
    const { says } = (answer ?? {}) as { readonly says?: unknown }
    return typeof says === 'string' ? says : `The objects did not come: ${response.status}.`
  } catch {
    return 'The objects did not come: Gyrarch does not answer.'
  }
}

/** The newest question; earlier ones that wait behind a fetch are not worth their answer. */
let latest = 0
/** Why there is nothing to place, or null. */
let trouble: string | null = null

async function answer({ id, whatIfs, source }: BoardQuestion): Promise<void> {
  if (source) {
    const read = 'url' in source ? await fetched(source.url) : readPasted(source.pasted)
    trouble = typeof read === 'string' ? read : null
    objects = typeof read === 'string' ? [] : opened(read)
  }
  if (id !== latest) return
  const now =
    trouble === null ? placed(objects, whatIfs ?? [], () => performance.now()) : notPlaced(trouble)
  if (whatIfs) self.postMessage({ id, ...now } satisfies BoardAnswer)
}

/** One after the other: what a question leaves out is what those before it brought. */
let before: Promise<void> = Promise.resolve()

self.onmessage = ({ data }: MessageEvent<BoardQuestion>): void => {
  latest = data.id
  before = before.then(() => answer(data))
}
