/** The rehearsal of a change: as it stands, begun, given up. */
import { z } from 'zod'
import { askedForm, field } from '../asked'
import { gyrarchContext } from '../../context'
import { orNotFound, orRefused } from '../refusals'
import type { Route } from './+types/rehearsal-data'

export async function loader({ params, context }: Route.LoaderArgs) {
  const { changes, rehearsals } = context.get(gyrarchContext)
  return { state: await rehearsals.state(await orNotFound(() => changes.get(params.id))) }
}

export async function action({ request, params, context }: Route.ActionArgs) {
  const { rehearsals } = context.get(gyrarchContext)
  return orRefused(async () => {
    const asked = await askedForm(request, z.object({ do: field() }))
    await (asked.do === 'give-up' ? rehearsals.cancel(params.id) : rehearsals.begin(params.id))
    return { refused: null, fields: [] }
  })
}
