import Tooltip from '@mui/material/Tooltip'
import type { ReactElement } from 'react'
import { useTurn } from './turn'

/** What a thing means, on hover and on focus; it is read aloud as its description, beside its name. */
export function Tip({
  says,
  children,
}: {
  readonly says: string | undefined
  readonly children: ReactElement
}) {
  useTurn()
  if (says === undefined || says === '') return children
  return (
    <Tooltip title={says} describeChild enterDelay={350} disableInteractive={false}>
      {children}
    </Tooltip>
  )
}
