import { picked } from './picked'

/** A day as `yyyy-MM-dd`, in UTC. */
export const Day = picked(() => import('./day-picker'), 160)
