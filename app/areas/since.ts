/** Since when something on a page is as it is: asked from beside it, computed by looking back through the history. */
import { sinceQuery, sinceWhen } from '~/server/history/asked'
import { gyrarchContext } from '../context'
import { orRefused } from './refusals'
import { Refusal } from '~/server/changes/errors'
import type { Route } from './+types/since'

/** What of the answer is told beside a walk or a finding. */
export interface SinceAnswer {
  readonly refused: string | null
  readonly is: string
  readonly was: string | null
  readonly since: string
  readonly changes: readonly { readonly id: string; readonly label: string }[]
}

export const loader = ({ request, context }: Route.LoaderArgs) =>
  orRefused(async (): Promise<SinceAnswer> => {
    const query = sinceQuery.safeParse(Object.fromEntries(new URL(request.url).searchParams))
    if (!query.success)
      throw new Refusal('invalid', query.error.issues[0]?.message ?? 'That cannot be asked.')
    const { is, was, since, changes } = await sinceWhen(context.get(gyrarchContext), query.data)
    return {
      refused: null,
      is,
      was,
      since,
      changes: changes.map(({ id, label }) => ({ id, label })),
    }
  })
