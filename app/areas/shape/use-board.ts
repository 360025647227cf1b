/**
 * The placement board of some objects and what-ifs; the last answer stays until the next is there. As it stands it comes
 * placed from the server; what is asked of it, and what was pasted, is placed by a worker of the page.
 */
import { useEffect, useRef, useState } from 'react'
import { notPlaced, type Placed } from '~/core/placement/placed'
import type { WhatIf } from '~/core/placement/what-if'
import type { BoardAnswer, BoardQuestion } from '~/workers/board.worker'

export type BoardSource =
  | {
      /** Where the objects are, for the worker. */
      readonly url: string
      /** Where they are as a board, with nothing asked. */
      readonly placed: string
    }
  | { readonly pasted: string }

export interface BoardState {
  readonly answer: BoardAnswer | null
  /** Whether a newer answer is being computed. */
  readonly working: boolean
}

const workerOf = (): Worker =>
  new Worker(new URL('../../../workers/board.worker.ts', import.meta.url), { type: 'module' })

async function placedThere(url: string): Promise<Placed> {
  try {
    return (await (await fetch(url)).json()) as Placed
  } catch {
    return notPlaced('The board did not come: Gyrarch does not answer.')
  }
}

/** The page is drawn and awake before the worker takes a processor to get ready. */
const readyAfterMs = 1000

export function useBoard(source: BoardSource, whatIfs: readonly WhatIf[]): BoardState {
  const [answer, setAnswer] = useState<BoardAnswer | null>(null)
  const [asked, setAsked] = useState(0)
  const worker = useRef<Worker | null>(null)
  const sent = useRef<BoardSource | null>(null)
  const last = useRef(0)
  useEffect(
    () => () => {
      worker.current?.terminate()
      worker.current = null
      sent.current = null
    },
    [],
  )
  useEffect(() => {
    const id = ++last.current
    setAsked(id)
    const hear = (heard: BoardAnswer): void => {
      if (heard.id === last.current) setAnswer(heard)
    }
    const ask = (question: BoardQuestion['whatIfs']): void => {
      const made = (worker.current ??= workerOf())
      made.onmessage = ({ data }: MessageEvent<BoardAnswer>) => hear(data)
      const fresh = sent.current !== source
      sent.current = source
      made.postMessage({
        id,
        whatIfs: question,
        ...(fresh ? { source } : {}),
      } satisfies BoardQuestion)
    }
    if ('pasted' in source || whatIfs.length > 0 || sent.current === source) {
      ask(whatIfs)
      return undefined
    }
    let timer: ReturnType<typeof setTimeout> | undefined
    let gone = false
    void placedThere(source.placed).then((board) => {
      if (gone) return
      hear({ id, ...board })
      if (worker.current === null) timer = setTimeout(() => ask(null), readyAfterMs)
    })
    return () => {
      gone = true
      clearTimeout(timer)
    }
  }, [source, whatIfs])
  return { answer, working: answer === null || answer.id !== asked }
}
