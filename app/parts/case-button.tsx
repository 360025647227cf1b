/** From something that is not well to its case: the one that is open about it, or a new one. */
import Button from '@mui/material/Button'
import { useFetcher, useNavigate } from 'react-router'
import { useKey } from '../frame/keys'
import { Refused } from '../kit/notice'
import { To, useAddress } from './to'

/** What a case is opened about: something of a cluster, or (with no cluster) a run, an expectation or a finding. */
export interface CaseSubject {
  readonly cluster: string
  readonly about: string
}

/**
 * @param id the open case; null where none is.
 * @param subject what a new one would be about; null where nothing is wrong with it.
 * @param hasKey whether `m` does the same: once on a page.
 */
export function CaseButton({
  id,
  subject,
  hasKey = false,
  variant = 'contained',
}: {
  readonly id: string | null
  readonly subject: CaseSubject | null
  readonly hasKey?: boolean
  readonly variant?: 'contained' | 'outlined' | 'text'
}) {
  const navigate = useNavigate()
  const address = useAddress()
  const fetcher = useFetcher<{ refused?: string | null }>()
  const open = (): void => {
    if (subject)
      void fetcher.submit(
        { cluster: subject.cluster, about: subject.about },
        { method: 'post', action: '/mend', encType: 'application/json' },
      )
  }
  const act = (): void => {
    if (id === null) open()
    else void navigate(address(`/mend/${id}`))
  }
  return (
    <>
      {hasKey ? <CaseKey act={act} /> : null}
      {id === null ? null : (
        <Button component={To} path={`/mend/${id}`} variant={variant}>
          Its case
        </Button>
      )}
      {id === null && subject !== null ? (
        <Button
          variant={variant === 'contained' ? 'outlined' : variant}
          onClick={open}
          disabled={fetcher.state !== 'idle'}
        >
          Open a case
        </Button>
      ) : null}
      <Refused says={fetcher.data?.refused} />
    </>
  )
}

function CaseKey({ act }: { readonly act: () => void }) {
  useKey('m', act)
  return null
}
