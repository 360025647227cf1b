/** The moment that a page shows: now, or another that its address names. */
import { breath } from '~/server/breath'
import type { FleetPictures } from '~/server/fleet/pictures'
import type { Gyrarch } from '~/server/gyrarch'
import { orNotFound } from './refusals'

/** The fleet as it is; with `?at=` as it was then. */
export async function fleetAsked(gyrarch: Gyrarch, request: Request): Promise<FleetPictures> {
  // What the frame shows is read at the same time: each has its turn.
  await breath()
  await breath()
  return orNotFound(() => gyrarch.fleetAt(momentOf(request)))
}

export const momentOf = (request: Request): string | null =>
  new URL(request.url).searchParams.get('at')
