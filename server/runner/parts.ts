/** What runs are carried out with. */
import type { ConnectorClock } from '~/core/contract'
import type { ObservedTimes } from '../estimates/observed-times'
import type { Fleet } from '../fleet/fleet'
import type { Judges } from '../judging/judges'
import type { Hub } from '../live/hub'
import type { ConnectorRegistry } from '../ports/registry'
import type { Database } from '../records/database'

export interface RunnerParts {
  readonly database: Database
  readonly connectors: ConnectorRegistry
  /** The clock of Gyrarch’s own records: when a run began, halted, ended. */
  readonly clock: ConnectorClock
  readonly fleet: Fleet
  readonly judges: Judges
  readonly hub: Hub
  readonly times: ObservedTimes
  /** Told of errors that are the program’s own. */
  readonly onError: (error: unknown) => void
}
