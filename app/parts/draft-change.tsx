/** Drafts a change and goes to it: something is made, so it is sent, not linked. */
import Button from '@mui/material/Button'
import type { ReactNode } from 'react'
import { useFetcher } from 'react-router'
import { useAddress } from './to'
import { Refused } from '../kit/notice'
import { Tip } from '../kit/tip'

export interface DraftChangeProps {
  readonly kind: string
  readonly intent: unknown
  /** The change to come back to once this one is done. */
  readonly then?: string
  readonly children: ReactNode
  readonly variant?: 'contained' | 'outlined' | 'text'
  readonly title?: string
  readonly disabled?: boolean
}

/** Drafts a change of a kind and goes to it; says why where it is refused. */
export function useDraft(): {
  readonly draft: (kind: string, intent: unknown, then?: string) => void
  readonly isBusy: boolean
  readonly refused: string | null
} {
  const fetcher = useFetcher<{ refused?: string | null }>()
  const address = useAddress()
  return {
    draft: (kind, intent, then) =>
      void fetcher.submit(JSON.stringify({ kind, intent, then: then ?? null }), {
        method: 'post',
        action: address('/do/draft'),
        encType: 'application/json',
      }),
    isBusy: fetcher.state !== 'idle',
    refused: fetcher.data?.refused ?? null,
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
