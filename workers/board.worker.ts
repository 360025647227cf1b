/** Computes the placement board off the page’s thread: each what-if anew, from the objects it was given. */
import { apiDocuments } from '~/core/objects'
import { boardOf, type Board, type BoardObject, type WhatIf } from '~/core/placement'

export interface BoardQuestion {
  readonly id: number
  readonly whatIfs: readonly WhatIf[]
  /** Sent when they have changed; kept otherwise. */
  readonly objects?: readonly BoardObject[]
  /** Exported objects as text, JSON or YAML, instead. */
  readonly pasted?: string
}

export interface BoardAnswer {
  readonly id: number
  readonly board: Board | null
  /** Why there is no board, or null. */
  readonly says: string | null
  readonly milliseconds: number
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

self.onmessage = ({ data }: MessageEvent<BoardQuestion>): void => {
  const from = performance.now()
  const answer = (board: Board | null, says: string | null): void =>
    self.postMessage({
      id: data.id,
      board,
      says,
      milliseconds: performance.now() - from,
    } satisfies BoardAnswer)
  if (data.objects) objects = data.objects
  if (data.pasted !== undefined) {
    const read = readPasted(data.pasted)
    if (typeof read === 'string') {
      answer(null, read)
      return
    }
    objects = opened(read)
  }
  const boardRead = boardOf(objects, data.whatIfs)
  answer(
    boardRead.ok ? boardRead.board : null,
    boardRead.ok ? null : `${boardRead.path}: ${boardRead.says}`,
  )
}
