/** A change as Markdown for a ticket. */
import { gyrarchContext } from '../../context'
import { markdownOf } from './markdown'
import { orNotFound } from '../refusals'
import type { Route } from './+types/steps'

export async function loader({ params, context }: Route.LoaderArgs) {
  const record = await orNotFound(() => context.get(gyrarchContext).changes.get(params.id))
  return new Response(markdownOf(record), {
    headers: { 'Content-Type': 'text/markdown; charset=utf-8' },
  })
}
