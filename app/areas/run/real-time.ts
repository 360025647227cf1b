/** Runs that go by the wall’s clock, not by the fleet’s. */
import type { FleetView } from '~/core/fleet'
import type { ChangeRecord } from '~/server/changes/changes'

/** Whether real time alone decides over a run: what an enrolled cluster does. */
export function isOnTheWall({ steps, intent }: ChangeRecord, { clusters }: FleetView): boolean {
  const { cluster } = intent as { cluster?: unknown }
  return (
    steps.some(({ port }) => port === 'reach') ||
    clusters.some(({ name, reach }) => name === cluster && reach !== undefined)
  )
}

/** A run from its first step to its last: their clock is another than that of the fleet. */
export function timedBySteps(record: ChangeRecord): ChangeRecord {
  const from = record.steps.flatMap(({ startedAt }) => startedAt ?? []).sort()[0]
  const until = record.steps
    .flatMap(({ endedAt }) => endedAt ?? [])
    .sort()
    .at(-1)
  return {
    ...record,
    startedAt: record.startedAt && (from ?? record.startedAt),
    endedAt: record.endedAt && (until ?? record.endedAt),
  }
}
