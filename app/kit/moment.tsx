import { picked } from './picked'

/** A moment as ISO 8601 to the second, in UTC. */
export const Moment = picked(() => import('./moment-picker'), 220)
