/** Drafts a change and goes to it: something is made, so it is sent, not linked. */
import Button from '@mui/material/Button'
import { type ReactNode, useState } from 'react'
import { useFetcher } from 'react-router'
import { useAddress } from './to'
import { Refused } from '../kit/notice'
import { Tip } from '../kit/tip'
import { useTurn } from '../kit/turn'

export interface DraftChangeProps {
  readonly kind: string
  /** What is asked for; or what makes it, where that takes more than the page itself needs. */
  readonly intent: unknown
  /** The change to come back to once this one is done. */
  readonly then?: string
  readonly children: ReactNode
  readonly variant?: 'contained' | 'outlined' | 'text'
  readonly title?: string
  readonly disabled?: boolean
}

const isMaker = (intent: unknown): intent is () => Promise<unknown> => typeof intent === 'function'

/** Drafts a change of a kind and goes to it; says why where it is refused. */
export function useDraft(): {
  readonly draft: (kind: string, intent: unknown, then?: string) => void
  readonly isBusy: boolean
  readonly refused: string | null
} {
  const fetcher = useFetcher<{ refused?: string | null }>()
  const address = useAddress()
  const [missed, setMissed] = useState<string | null>(null)
  const send = (kind: string, intent: unknown, then: string | undefined): void =>
    void fetcher.submit(JSON.stringify({ kind, intent, then: then ?? null }), {
      method: 'post',
      action: address('/do/draft'),
      encType: 'application/json',
    })
  return {
    draft: (kind, intent, then) => {
      setMissed(null)
      if (!isMaker(intent)) {
        send(kind, intent, then)
        return
      }
      intent().then(
        (made) => send(kind, made, then),
        () => setMissed('A part of the page could not be loaded. Try it again.'),
      )
    },
    isBusy: fetcher.state !== 'idle',
    refused: missed ?? fetcher.data?.refused ?? null,
  }
}

export function DraftChange({
  kind,
  intent,
  then,
  children,
  variant = 'outlined',
  title,
  disabled = false,
}: DraftChangeProps) {
  useTurn()
  const { draft, isBusy, refused } = useDraft()
  return (
    <>
      <Tip says={title}>
        <Button
          variant={variant}
          disabled={disabled || isBusy}
          onClick={() => draft(kind, intent, then)}
        >
          {children}
        </Button>
      </Tip>
      <Refused says={refused} />
    </>
  )
}
