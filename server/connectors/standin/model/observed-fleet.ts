import type { FleetView } from '~/core/fleet'

/** What of a fleet a model is made of. */
export type ObservedFleet = Pick<FleetView, 'now' | 'sites' | 'clusters' | 'published' | 'peers'>
