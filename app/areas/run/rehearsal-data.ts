/** The rehearsal of a change: as it stands, begun, given up. */
import { gyrarchContext } from '../../context'
import { orNotFound, orRefused } from '../refusals'
import type { Route } from './+types/rehearsal-data'

export async function loader({ params, context }: Route.LoaderArgs) {
  const { changes, rehearsals } = context.get(gyrarchContext)
  return { state: await rehearsals.state(await orNotFound(() => changes.get(params.id))) }
}

export async function action({ request, params, context }: Route.ActionArgs) {
  const { rehearsals } = context.get(gyrarchContext)
  const form = await request.formData()
  return orRefused(async () => {
    await (form.get('do') === 'give-up'
      ? rehearsals.cancel(params.id)
      : rehearsals.begin(params.id))
    return { refused: null, fields: [] }
  })
}
