/** What a board is made of, told of the cluster and the moment that an address names. */
import type { RouterContextProvider } from 'react-router'
import { type FleetView, knownObjects } from '~/core/fleet'
import { notPlaced } from '~/core/placement'
import type { Judges } from '~/server/judging/judges'
import { gyrarchContext } from '../../context'
import { fleetAsked } from '../moment'
import { aimedCluster } from './tabs'

/** The address names the version of the objects: what was fetched for a page is good for whoever places. */
const headers = { 'Content-Type': 'application/json', 'Cache-Control': 'private, max-age=60' }

export async function boardAnswer(
  request: Request,
  context: Readonly<RouterContextProvider>,
  tell: (judges: Judges, cluster: string, view: FleetView) => Promise<string>,
): Promise<Response> {
  const gyrarch = context.get(gyrarchContext)
  const fleet = await fleetAsked(gyrarch, request)
  const name = aimedCluster(request)
  const view = await fleet.viewWith(name === null ? [] : [name])
  if (name === null || !knownObjects(view, name))
    return Response.json(notPlaced('Its API does not answer.'), { status: 404 })
  return new Response(await tell(gyrarch.judges, name, view), { headers })
}
