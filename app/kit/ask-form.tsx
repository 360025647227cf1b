/** A question put to this page: it becomes part of the address, which keeps everything else that is in it. */
import Button from '@mui/material/Button'
import type { ReactNode } from 'react'
import { Form, useSearchParams } from 'react-router'

/** Something that is sent along and not seen. */
export const Hidden = ({ name, value }: { readonly name: string; readonly value: string }) => (
  <input type="hidden" name={name} value={value} />
)

export function AskForm({
  label,
  asks,
  drops = [],
  verb,
  children,
}: {
  /** What is asked, read aloud. */
  readonly label: string
  /** Names of the parameters that the fields give. */
  readonly asks: readonly string[]
  /** Parameters that no longer hold once this is asked anew. */
  readonly drops?: readonly string[]
  /** What the button says; without it Enter asks. */
  readonly verb?: string
  readonly children: ReactNode
}) {
  const [search] = useSearchParams()
  return (
    <Form method="get" role="search" aria-label={label} className="ask-form">
      {[...search]
        .filter(([name]) => !asks.includes(name) && !drops.includes(name))
        .map(([name, value]) => (
          <Hidden key={name} name={name} value={value} />
        ))}
      {children}
      {verb === undefined ? null : (
        <Button type="submit" variant="outlined">
          {verb}
        </Button>
      )}
    </Form>
  )
}
