/** The aim: the site or cluster one is pointed at. It is in the address, or the page itself implies it. */
import { useMatches, useSearchParams } from 'react-router'

export interface Aim {
  readonly ref: string
  readonly name: string
  readonly where: string
  readonly guarded: boolean
}

/** The aim of this page out of all there are. */
export function useAim(aims: readonly Aim[]): Aim | null {
  const [search] = useSearchParams()
  const matches = useMatches()
  const implied = matches
    .map((match) =>
      typeof match.loaderData === 'object' && match.loaderData !== null
        ? (match.loaderData as { aim?: unknown }).aim
        : null,
    )
    .findLast((aim): aim is string => typeof aim === 'string')
  const wanted = implied ?? search.get('aim')
  return aims.find((aim) => aim.ref === wanted) ?? null
}
