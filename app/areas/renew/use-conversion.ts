/** A text audited and converted in a worker: how far it is, what came of it, and how to give it up. */
import { useEffect, useRef, useState } from 'react'
import type { ConvertAnswer, ConvertQuestion } from '~/workers/convert.worker'

/** The answer to a text; null while nothing was asked. */
type Asked = ConvertQuestion & { readonly answer: ConvertAnswer }

export function useConversion() {
  const [asked, setAsked] = useState<Asked | null>(null)
  const worker = useRef<Worker | null>(null)
  const end = (): void => {
    worker.current?.terminate()
    worker.current = null
  }
  useEffect(() => end, [])
  const giveUp = (): void => {
    end()
    setAsked(null)
  }
  const convert = (question: ConvertQuestion): void => {
    end()
    const made = new Worker(new URL('../../../workers/convert.worker.ts', import.meta.url), {
      type: 'module',
    })
    worker.current = made
    setAsked({ ...question, answer: { state: 'working', share: 0 } })
    made.onmessage = ({ data }: MessageEvent<ConvertAnswer>) => {
      setAsked({ ...question, answer: data })
      if (data.state !== 'working') end()
    }
    made.onerror = ({ message }) =>
      setAsked({ ...question, answer: { state: 'failed', says: message } })
    made.postMessage(question)
  }
  return { asked, convert, giveUp }
}
