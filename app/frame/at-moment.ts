import { useLocation, useSearchParams } from 'react-router'
import { useAddress } from '../parts/to'

/** The present address at another moment. */
export function useAtMoment(): (at: string | null) => string {
  const { pathname } = useLocation()
  const [search] = useSearchParams()
  const address = useAddress()
  const keep = Object.fromEntries(search)
  return (at) => address(pathname, { ...keep, at })
}
