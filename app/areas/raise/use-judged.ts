/** A draft’s findings and plan: from the worker while one types, from the server as soon as it has answered. */
import { useEffect, useRef, useState } from 'react'
import type { Finding, Plan } from '~/core/changes'
import type { FleetView } from '~/core/fleet'
import type { DraftAnswer, DraftQuestion } from '../../../workers/draft.worker'

export interface Judged {
  readonly findings: readonly Finding[]
  readonly plan: Plan | null
  readonly digest: string | null
  /** Whether this is the worker’s answer to what was typed last. */
  readonly typed: boolean
  readonly unreadable: string | null
  /** Whether this is still the answer to something older than what is typed now. */
  readonly pending: boolean
}

const debounceMs = 120

/**
 * `server` is the answer to what was kept; while `intent` differs from that (`dirty`), the worker’s answer shows.
 */
export function useJudged(
  kind: string,
  intent: unknown,
  dirty: boolean,
  view: FleetView,
  server: Pick<Judged, 'findings' | 'plan' | 'digest'>,
): Judged {
  const worker = useRef<Worker | null>(null)
  const lastAsked = useRef(0)
  const sentView = useRef<FleetView | null>(null)
  const askedFor = useRef<unknown>(null)
  const [answered, setAnswered] = useState<{
    readonly answer: DraftAnswer
    readonly intent: unknown
  } | null>(null)
  useEffect(() => () => worker.current?.terminate(), [])
  // The core is brought to the browser with the first letter that is typed: whoever only reads does without.
  const judge = (): Worker => {
    if (worker.current) return worker.current
    const made = new Worker(new URL('../../../workers/draft.worker.ts', import.meta.url), {
      type: 'module',
    })
    made.onmessage = ({ data }: MessageEvent<DraftAnswer>) => {
      if (data.id === lastAsked.current) setAnswered({ answer: data, intent: askedFor.current })
    }
    worker.current = made
    return made
  }
  useEffect(() => {
    if (!dirty) {
      lastAsked.current++
      return
    }
    const timer = setTimeout(() => {
      const question: DraftQuestion = {
        id: ++lastAsked.current,
        kind,
        intent,
        ...(sentView.current === view ? {} : { view }),
      }
      sentView.current = view
      askedFor.current = intent
      judge().postMessage(question)
    }, debounceMs)
    return () => clearTimeout(timer)
  }, [dirty, intent, kind, view])
  if (!dirty) return { ...server, typed: false, unreadable: null, pending: false }
  if (!answered) return { ...server, typed: true, unreadable: null, pending: true }
  const { findings, plan, digest, unreadable } = answered.answer
  return { findings, plan, digest, typed: true, unreadable, pending: answered.intent !== intent }
}
