/** Everything that acts by itself. */
import type { Database } from '../records/database'
import { Autoscale } from './autoscale'
import type { Health } from './health'
import type { LookerParts } from './looker'
import { Rest } from './rest'
import { Schedule } from './schedule'
import { Snapshots } from './snapshots'
import { type Watcher, Watchers } from './watcher'

/** `observer` keeps the history, where one is kept. */
export const allWatchers = (
  health: Health,
  cases: Watcher,
  parts: LookerParts & { readonly database: Database },
  observer: Watcher | null,
): Watchers =>
  new Watchers([
    health,
    cases,
    new Rest(parts),
    new Snapshots(parts),
    new Autoscale(parts),
    new Schedule(parts),
    ...(observer ? [observer] : []),
  ])
