/** What has to be told beside what is shown. */
import Alert from '@mui/material/Alert'
import type { ReactNode } from 'react'
import { StateGlyph } from '../parts/state'

const glyphs = { stop: 'broken', caution: 'strained', note: 'working', done: 'well' } as const
const severities = { stop: 'error', caution: 'warning', note: 'info', done: 'success' } as const

/** Something that keeps a page or a form from doing what was asked, or is worth knowing before. */
export function Notice({
  level = 'stop',
  children,
  action,
}: {
  readonly level?: keyof typeof glyphs
  readonly children: ReactNode
  readonly action?: ReactNode
}) {
  return (
    <Alert
      severity={severities[level]}
      icon={<StateGlyph state={glyphs[level]} />}
      role={level === 'stop' ? 'alert' : 'status'}
      action={action}
    >
      {children}
    </Alert>
  )
}

/** Why something was refused, or nothing. */
export const Refused = ({ says }: { readonly says: string | null | undefined }) =>
  says === null || says === undefined || says === '' ? null : <Notice>{says}</Notice>
