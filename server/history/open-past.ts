/** The history of a fleet, opened: who observes, and what is known of the past. */
import type { ConnectorClock } from '~/core/contract'
import type { Fleet } from '../fleet/fleet'
import { History } from './history'
import { Observer } from './observer'
import { Versions } from './versions'

const usualBytes = 1024 ** 3

export interface Past {
  readonly observer: Observer
  readonly history: History
}

export async function openPast(of: {
  readonly file: string
  readonly fleet: Fleet
  readonly outside: { readonly clock: ConnectorClock; readonly tells: boolean }
  readonly mostBytes: number | undefined
  readonly onError: (error: unknown) => void
}): Promise<Past> {
  const { fleet, outside, onError } = of
  const mostBytes = of.mostBytes ?? usualBytes
  const versions = await Versions.open(of.file)
  const observer = new Observer({
    fleet,
    versions,
    clock: outside.clock,
    tells: outside.tells,
    mostBytes,
    onError,
  })
  fleet.touched = (slices) => observer.touched(slices)
  return { observer, history: new History(versions, observer, outside.clock, mostBytes) }
}
