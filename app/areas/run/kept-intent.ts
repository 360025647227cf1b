/** What a draft asks for as it is typed: sent a moment after the last key, and told whether it is kept. */
import { useEffect, useState } from 'react'
import { useFetcher } from 'react-router'
import { canonicalJson } from '~/core/changes'

/** How long nothing is typed before it is sent, in milliseconds. */
const pause = 400

export interface KeptIntent<Intent> {
  readonly intent: Intent
  readonly setIntent: (intent: Intent) => void
  readonly says: string
}

/**
 * @param id the draft's
 * @param kept what the server holds of it; when a remedy amends the draft, this is taken over, unless something newer
 *   is being typed
 */
export function useKeptIntent<Intent>(id: string, kept: Intent): KeptIntent<Intent> {
  const fetcher = useFetcher<{ refused?: string | null }>()
  const { submit } = fetcher
  const [intent, setIntent] = useState(kept)
  const keptText = canonicalJson(kept)
  const [sentText, setSentText] = useState(keptText)
  const [seenText, setSeenText] = useState(keptText)
  const text = canonicalJson(intent)
  const isSent = text === sentText
  if (seenText !== keptText) {
    setSeenText(keptText)
    if (isSent) {
      setIntent(kept)
      setSentText(keptText)
    }
  }
  useEffect(() => {
    if (isSent) return
    const timer = setTimeout(() => {
      setSentText(text)
      void submit({ do: 'amend', intent: text }, { method: 'post' })
    }, pause)
    return () => clearTimeout(timer)
  }, [text, isSent, submit])
  const { refused } = fetcher.data ?? {}
  const isUnderWay = fetcher.state !== 'idle' || text !== keptText
  const keeping = isUnderWay ? 'keeping…' : `draft ${id}, kept`
  return { intent, setIntent, says: refused ? `not kept: ${refused}` : keeping }
}
