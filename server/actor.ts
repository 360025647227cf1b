/** By whom something is done: kept along whatever follows from it, so that the journal can say so. */
import { AsyncLocalStorage } from 'node:async_hooks'

/** `gyrarch` is what follows from events outside: a step that ends, a run that halts. */
export const actors = [
  'person',
  'schedule',
  'health',
  'rest calendar',
  'snapshot schedule',
  'autoscaler',
  'gyrarch',
] as const
export type Actor = (typeof actors)[number]

const storage = new AsyncLocalStorage<Actor>()

export const currentActor = (): Actor => storage.getStore() ?? 'gyrarch'

/** Does something in somebody’s name. */
export const actingAs = <T>(actor: Actor, work: () => T): T => storage.run(actor, work)
