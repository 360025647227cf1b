/**
 * The layout of a run timeline: steps as bars on the clock's axis, grouped by what they touch. What has happened is where
 * it happened; what is to come is where it is expected after what it waits for. Seconds after the run began. O(steps + edges).
 */
import type { StepProgress } from '~/core/changes'

export interface Bar {
  readonly id: string
  readonly group: string
  readonly says: string
  readonly state: StepProgress['state']
  readonly undoing: boolean
  /** Where it was or will be; `end` of a running step is now. */
  readonly start: number
  readonly end: number
  /** The estimate drawn behind it: from where it starts, its likely seconds. */
  readonly expectedEnd: number
  readonly worstEnd: number
  readonly after: readonly string[]
  readonly critical: boolean
}

export interface TimelineLayout {
  readonly rows: readonly { readonly group: string; readonly bars: readonly Bar[] }[]
  readonly seconds: number
  readonly now: number | null
}

const isOverState = (state: StepProgress['state']): boolean =>
  state === 'done' || state === 'failed' || state === 'undone' || state === 'skipped'

const isOver = (step: StepProgress): boolean => step.endedAt !== null && isOverState(step.state)

/** `origin` and `now` in milliseconds; `origin` null for a run that has not begun. */
export function timelineLayout(
  steps: readonly StepProgress[],
  critical: readonly string[],
  origin: number | null,
  now: number,
): TimelineLayout {
  const from = origin ?? now
  const seconds = (iso: string): number => (Date.parse(iso) - from) / 1000
  const present = origin === null ? 0 : (now - from) / 1000
  const ends = new Map<string, number>()
  const onPath = new Set(critical)
  const byId = new Map(steps.map((step) => [step.id, step]))
  const endOf = (id: string): number => {
    const existingEnd = ends.get(id)
    if (existingEnd !== undefined) return existingEnd
    const step = byId.get(id)
    if (!step) return 0
    const start = startOf(step)
    const end =
      isOver(step) && step.endedAt !== null
        ? seconds(step.endedAt)
        : Math.max(
            start + step.seconds.likely,
            step.state === 'running' || step.state === 'retrying' ? present : 0,
          )
    ends.set(id, end)
    return end
  }
  const startOf = (step: StepProgress): number => {
    if (step.startedAt !== null) return seconds(step.startedAt)
    const earliest = Math.max(0, ...step.after.map(endOf))
    return origin === null ? earliest : Math.max(earliest, present)
  }
  const bars = steps.map((step): Bar => {
    const start = startOf(step)
    const running = step.state === 'running' || step.state === 'retrying'
    return {
      id: step.id,
      group: step.group,
      says: step.says,
      state: step.state,
      undoing: step.undoing ?? false,
      start,
      end: running ? Math.max(present, start) : endOf(step.id),
      expectedEnd: start + step.seconds.likely,
      worstEnd: start + step.seconds.worst,
      after: step.after,
      critical: onPath.has(step.id),
    }
  })
  const groups = new Map<string, Bar[]>()
  for (const bar of bars) {
    const row = groups.get(bar.group)
    if (row) row.push(bar)
    else groups.set(bar.group, [bar])
  }
  return {
    rows: [...groups].map(([group, list]) => ({ group, bars: list })),
    seconds: Math.max(
      60,
      present,
      ...bars.map((bar) => (isOverState(bar.state) ? bar.end : Math.max(bar.end, bar.expectedEnd))),
    ),
    now: origin === null ? null : present,
  }
}

/** Round marks on an axis of so many seconds: at most about eight. */
export function ticksOf(
  seconds: number,
): readonly { readonly at: number; readonly says: string }[] {
  const steps = [10, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 14_400]
  const every = steps.find((step) => seconds / step <= 8) ?? 28_800
  return Array.from({ length: Math.floor(seconds / every) + 1 }, (_, i) => {
    const at = i * every
    let says: string
    if (every < 60) says = `${at} s`
    else if (every < 3600) says = `${Math.round(at / 60)} min`
    else says = `${Math.round(at / 3600)} h`
    return {
      at,
      says,
    }
  })
}
