/** The history of a fleet, opened: who observes, and what is known of the past. */
import { join } from 'node:path'
import type { ConnectorClock } from '~/core/contract'
import type { Fleet } from '../fleet/fleet'
import type { Database } from '../records/database'
import { thinRecords } from '../records/retention'
import { History } from './history'
import { Observer } from './observer'
import { Versions } from './versions'

const usualBytes = 1024 ** 3

export interface Past {
  readonly observer: Observer
  readonly history: History
}

/** The history of a fleet, where it is kept; with it the records are thinned now and then. */
export async function openPast(
  options: {
    readonly dir: string
    readonly keepsHistory?: boolean
    readonly historyBytes?: number
    readonly onError?: (error: unknown) => void
  },
  of: {
    readonly fleet: Fleet
    readonly outside: { readonly clock: ConnectorClock; readonly tells: boolean }
    readonly database: Database
  },
): Promise<Past | null> {
  if (options.keepsHistory === false) return null
  const { fleet, outside, database } = of
  const mostBytes = options.historyBytes ?? usualBytes
  const versions = await Versions.open(join(options.dir, 'history.sqlite'))
  const observer = new Observer({
    fleet,
    versions,
    clock: outside.clock,
    tells: outside.tells,
    mostBytes,
    onError: options.onError ?? (() => undefined),
    onPrune: () => thinRecords(database),
  })
  fleet.touched = (slices) => observer.touched(slices)
  return { observer, history: new History(versions, observer, outside.clock, mostBytes) }
}
