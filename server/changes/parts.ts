/** What changes are drafted and run with. */
import type { Fleet } from '../fleet/fleet'
import type { Judges } from '../judging/judges'
import type { Hub } from '../live/hub'
import type { Database } from '../records/database'
import type { Runner } from '../runner/runner'

export interface ChangesParts {
  readonly database: Database
  readonly fleet: Fleet
  readonly judges: Judges
  readonly runner: Runner
  readonly hub: Hub
  readonly clock: { readonly now: number }
  /** An intent as it may be kept and shown. */
  readonly sealed: (kind: string, intent: unknown) => unknown
  /** Told when something was put on the schedule, or taken off. */
  readonly scheduleChanged: () => void
  /** Told of errors of what goes on by itself. */
  readonly onError: (error: unknown) => void
}
