import { picked } from './picked'

/** A time of day as `HH:mm`. */
export const TimeOfDay = picked(() => import('./time-picker'), 130)
