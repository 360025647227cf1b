/** Drafts a change and goes to it: something is made, so it is sent, not linked. */
import Button from '@mui/material/Button'
import type { ReactNode } from 'react'
import { useFetcher } from 'react-router'
import { useAddress } from './to'

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

export function DraftChange({
  kind,
  intent,
  then,
  children,
  variant = 'outlined',
  title,
  disabled = false,
}: DraftChangeProps) {
  const fetcher = useFetcher<{ refused?: string | null }>()
  const address = useAddress()
  return (
    <>
      <Button
        variant={variant}
        title={title}
        disabled={disabled || fetcher.state !== 'idle'}
        onClick={() =>
          void fetcher.submit(JSON.stringify({ kind, intent, then: then ?? null }), {
            method: 'post',
            action: address('/do/draft'),
            encType: 'application/json',
          })
        }
      >
        {children}
      </Button>
      {fetcher.data?.refused ? <span role="alert">{fetcher.data.refused}</span> : null}
    </>
  )
}
