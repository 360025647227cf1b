import MuiIconButton from '@mui/material/IconButton'
import type { MouseEvent, ReactNode } from 'react'
import { Tip } from './tip'
import { useTurn } from './turn'

/** A button that shows a sign alone; its name is read aloud, and shown on hover and focus. */
export function IconButton({
  says,
  hint,
  pressed,
  expanded,
  onClick,
  children,
}: {
  readonly says: string
  /** Shown instead of the name where there is more to say, as the key that does the same. */
  readonly hint?: string
  readonly pressed?: boolean
  readonly expanded?: boolean
  readonly onClick: (event: MouseEvent<HTMLElement>) => void
  readonly children: ReactNode
}) {
  useTurn()
  return (
    <Tip says={hint ?? says}>
      <MuiIconButton
        size="small"
        aria-label={says}
        aria-pressed={pressed}
        aria-expanded={expanded}
        onClick={onClick}
      >
        {children}
      </MuiIconButton>
    </Tip>
  )
}
