/** The moment that a page shows: now, or another that its address names. */
import type { FleetPictures } from '~/server/fleet/pictures'
import type { Gyrarch } from '~/server/gyrarch'
import { orNotFound } from './refusals'

/** The fleet as it is; with `?at=` as it was then. */
export const fleetAsked = (gyrarch: Gyrarch, request: Request): Promise<FleetPictures> =>
  orNotFound(() => gyrarch.fleetAt(momentOf(request)))

export const momentOf = (request: Request): string | null =>
  new URL(request.url).searchParams.get('at')
