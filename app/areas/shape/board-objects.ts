/** What the board of a cluster is placed from, for its worker. */
import { boardObjects } from '~/core/placement'
import { gyrarchContext } from '../../context'
import { fleetAsked } from '../moment'
import type { Route } from './+types/board-objects'
import { aimedCluster } from './tabs'

export async function loader({ request, context }: Route.LoaderArgs): Promise<Response> {
  const fleet = await fleetAsked(context.get(gyrarchContext), request)
  const name = aimedCluster(request)
  const objects = name === null ? null : await fleet.objectsOf(name)
  if (!objects) return Response.json({ says: 'Its API does not answer.' }, { status: 404 })
  return Response.json(boardObjects(objects), {
    // The address names their version: what was fetched for a page is good for its worker.
    headers: { 'Cache-Control': 'private, max-age=60' },
  })
}
