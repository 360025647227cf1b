/** The calendar by which a cluster rests. */
import { z } from 'zod'
import { step } from '../provisioning'
import { clusterOf, siteOf, type ClusterView } from '../fleet'
import { ref, command } from '../contract'
import {
  type ChangeKind,
  guardedCluster,
  noCluster,
  type RawFinding,
  stop,
  longestPath,
} from '../changes'
import { isTimeZone, minutesOf, restIntervals, weekdays, type RestWindow } from '../scaling'
import { countText } from '../units'
import { clusterHourly, siteSpend } from '../spend'
import { name } from './rest'
import { said } from './says'

export const time = z
  .string()
  .refine(
    (text) => minutesOf(text) !== null,
    'Write a time from 00:00 to 23:59; midnight is 00:00.',
  )
export const calendarIntent = z.strictObject({
  cluster: name,
  zone: z
    .string()
    .max(60)
    .refine(isTimeZone, 'This is no time zone. Use a name like Europe/Berlin.')
    .default('Europe/Berlin'),
  windows: z
    .array(
      z
        .strictObject({
          days: z.array(z.enum(weekdays)).min(1, 'Choose at least one day.').max(7),
          stop: time,
          start: time,
        })
        .refine((window) => window.stop !== window.start, {
          message: 'It starts when it stops. Give two different times; a whole day is two windows.',
          path: ['start'],
        }),
    )
    .max(50),
})

export type CalendarIntent = z.infer<typeof calendarIntent>
export const weekMs = 7 * 86_400_000
export const hoursResting = (zone: string, windows: readonly RestWindow[], from: number): number =>
  restIntervals(zone, windows, { from, to: from + weekMs }).reduce(
    (sum, restInterval) => sum + restInterval.to - restInterval.from,
    0,
  ) / 3_600_000

export const clusterRest: ChangeKind<CalendarIntent> = {
  name: 'cluster.rest',
  title: 'Set when a cluster rests',
  intent: calendarIntent,
  needs: (intent) => [`cluster:${intent.cluster}`],
  subjects: (intent) => [ref('calendar', intent.cluster)],
  guardedBy: (intent, view) => guardedCluster(intent.cluster, view),
  label: (intent) =>
    `${intent.windows.length === 0 ? 'no rest for' : 'rest calendar of'} ${intent.cluster || 'a cluster'}`,
  check: (intent, view) => {
    const missing = clusterOf(view, intent.cluster) ? null : noCluster(intent.cluster, view)
    const cluster = clusterOf(view, intent.cluster)
    if (missing || !cluster) return missing ? [missing] : []
    const findings: RawFinding[] = []
    const hours = hoursResting(intent.zone, intent.windows, Date.parse(view.now))
    if (hours >= 168)
      findings.push({
        level: 'caution',
        rule: 'rest.always',
        field: 'windows',
        ...said('rest.always', { cluster: cluster.name }),
        because: [{ ...said('rest-hours', { hours }), source: 'the calendar' }],
      })
    if (cluster.drives.length > 0 && intent.windows.length > 0)
      findings.push(
        stop(
          'cluster.drives',
          'cluster',
          said('cluster.drives.drives-cannot-rest', {
            cluster: cluster.name,
            drives: cluster.drives,
          }),
          [{ ...said('drives', { drives: cluster.drives }), source: 'register of clusters' }],
        ),
      )
    const site = siteOf(view, cluster.site)
    if (site && intent.windows.length > 0)
      findings.push({
        level: 'note',
        rule: 'rest.saves',
        field: 'windows',
        ...said('rest.saves', { hours, saved: hours * clusterHourly(site, cluster) }),
        because: [
          {
            ...said('cluster-hourly', { clusterHourly: clusterHourly(site, cluster) }),
            source: 'price book',
          },
        ],
      })
    return findings
  },
  plan: (intent, view) => {
    const cluster = clusterOf(view, intent.cluster)
    const set = (rest: ClusterView['rest']) =>
      command('rest.set', { cluster: intent.cluster, rest })
    const steps = [
      step({
        id: 'set',
        after: [],
        group: 'register',
        says:
          intent.windows.length === 0
            ? 'no rest any more'
            : `${countText(intent.windows.length, 'window')} entered`,
        command: set(
          intent.windows.length === 0 ? null : { zone: intent.zone, windows: intent.windows },
        ),
        undo: set(cluster?.rest ?? null),
        seconds: { likely: 1, worst: 3 },
      }),
    ]
    const site = cluster && siteOf(view, cluster.site)
    const now = site ? siteSpend(site).perMonth : 0
    const share = (windows: readonly RestWindow[], zone: string): number =>
      hoursResting(zone, windows, Date.parse(view.now)) / 168
    const monthly = site && cluster ? clusterHourly(site, cluster) * 730 : 0
    const before = cluster?.rest ? share(cluster.rest.windows, cluster.rest.zone) : 0
    return {
      steps,
      creates: [],
      alters: [ref('calendar', intent.cluster)],
      removes: [],
      ...longestPath(steps),
      spend: {
        before: now - monthly * before,
        after: now - monthly * share(intent.windows, intent.zone),
      },
      reserves: [],
    }
  },
  prove: (intent, view) => {
    const rest = clusterOf(view, intent.cluster)?.rest ?? null
    return [
      {
        says: 'the calendar is entered',
        holds: (rest?.windows.length ?? 0) === intent.windows.length,
        observed: rest ? countText(rest.windows.length, 'window') : 'no calendar',
      },
    ]
  },
}
