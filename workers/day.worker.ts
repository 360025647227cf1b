/** Replays a day of scaling off the page’s thread. */
import { dayAhead, type DayAhead, type DayPlan } from '~/core/scaling'

export interface DayQuestion {
  readonly id: number
  readonly plan: Omit<DayPlan, 'hourly'> & { readonly hourly: Readonly<Record<string, number>> }
}

export interface DayAnswer {
  readonly id: number
  readonly day: DayAhead | null
  readonly says: string | null
}

self.onmessage = ({ data }: MessageEvent<DayQuestion>): void => {
  const { hourly, ...plan } = data.plan
  const found = dayAhead({ ...plan, hourly: (node) => hourly[node] ?? 0 })
  self.postMessage({ id: data.id, day: found.ok ? found.day : null, says: found.ok ? null : found.says } satisfies DayAnswer)
}
