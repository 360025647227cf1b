/** What the action of the page is asked. */
import { z } from 'zod'
import { field } from '../asked'

export const acting = z.object({
  do: field(),
  cluster: field(),
  pod: field(),
  probe: field(),
  target: field(),
})
