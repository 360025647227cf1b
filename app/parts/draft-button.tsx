/** Begins a draft: something is made, so it is sent, not linked. */
import Button from '@mui/material/Button'
import { Form } from 'react-router'
import { useAddress } from './to'

export function DraftButton({
  site,
  children,
  variant = 'contained',
}: {
  readonly site?: string
  readonly children: string
  readonly variant?: 'contained' | 'outlined'
}) {
  const address = useAddress()
  return (
    <Form method="post" action={address('/raise/new', site === undefined ? {} : { site })}>
      <Button type="submit" variant={variant}>
        {children}
      </Button>
    </Form>
  )
}
