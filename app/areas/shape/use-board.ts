/** The placement board of some objects and what-ifs, computed in a worker; the last answer stays until the next is there. */
import { useEffect, useRef, useState } from 'react'
import type { WhatIf } from '~/core/placement'
import type { BoardAnswer, BoardQuestion } from '~/workers/board.worker'

export type BoardSource = { readonly url: string } | { readonly pasted: string }

export interface BoardState {
  readonly answer: BoardAnswer | null
  /** Whether a newer answer is being computed. */
  readonly working: boolean
}

export function useBoard(source: BoardSource, whatIfs: readonly WhatIf[]): BoardState {
  const [answer, setAnswer] = useState<BoardAnswer | null>(null)
  const [asked, setAsked] = useState(0)
  const worker = useRef<Worker | null>(null)
  const sent = useRef<BoardSource | null>(null)
  const last = useRef(0)
  useEffect(() => {
    const made = new Worker(new URL('../../../workers/board.worker.ts', import.meta.url), {
      type: 'module',
    })
    worker.current = made
    sent.current = null
    made.onmessage = ({ data }: MessageEvent<BoardAnswer>) => {
      if (data.id === last.current) setAnswer(data)
    }
    return () => made.terminate()
  }, [])
  useEffect(() => {
    const id = ++last.current
    setAsked(id)
    const fresh = sent.current !== source
    sent.current = source
    const question: BoardQuestion = {
      id,
      whatIfs,
      ...(fresh ? { source } : {}),
    }
    worker.current?.postMessage(question)
  }, [source, whatIfs])
  return { answer, working: answer === null || answer.id !== asked }
}
