/** The change kinds `window.set` and `window.remove`: maintenance windows entered in the register, or struck. */
import { z } from 'zod'
import { caution, type ChangeKind, longestPath, type RawFinding, stop } from '../changes'
import { command, ref } from '../contract'
import { type FleetView, labelTexts, type WindowView } from '../fleet'
import { step } from '../provisioning/steps'
import { isoTime } from '../units'
import { nextOccurrence, coveredBy, specOf, uncovered, windowNamed, windowsOf } from './of-fleet'
import { occurrences } from './occurrences'
import { said } from './says'

const windowName = z
  .string()
  .trim()
  .min(1, 'Give it a name, like “hall nights”.')
  .max(80)
  .regex(/^[^/\\\p{Cc}]*$/u, 'A name has no slash and no control character.')

export const windowIntent = z.strictObject({
  name: windowName,
  /** Local, like 2026-03-07T22:00. */
  start: z
    .string()
    .regex(/^\d{4}-\d{2}-\d{2}T\d{2}:\d{2}$/, 'Give a local time like 2026-03-07T22:00.'),
  zone: z.string().min(1, 'Name a time zone like Europe/Berlin.').max(60),
  minutes: z
    .number()
    .int()
    .min(1)
    .max(7 * 24 * 60, 'At most a week: 10080 minutes.'),
  /** A recurrence rule (RFC 5545), or null for once. */
  rule: z.string().max(300).nullable().default(null),
  /** Local dates on which it is not. */
  except: z.array(z.iso.date('Give a date like 2026-04-04.')).max(400).default([]),
  clusters: z.array(z.string().max(253)).max(500).default([]),
  /** Clusters that have all of these are covered too. */
  labels: z.record(z.string().max(317), z.string().max(63)).default({}),
})
export type WindowIntent = z.infer<typeof windowIntent>

const withWindow = (view: FleetView, window: WindowView): FleetView => ({
  ...view,
  windows: [...windowsOf(view).filter(({ name }) => name !== window.name), window].sort((a, b) =>
    a.name < b.name ? -1 : 1,
  ),
})

const without = (view: FleetView, name: string): FleetView => ({
  ...view,
  windows: windowsOf(view).filter((window) => window.name !== name),
})

/** Fields of a window as the computation calls them, and as the intent does. */
const fieldOf = (path: string): string => path.replace(/^windows\[0\]\.?/, '')

function problemsOf(intent: WindowIntent, view: FleetView): readonly RawFinding[] {
  const now = Date.parse(view.now)
  const read = occurrences([specOf(intent)], now, now + 1)
  return [
    ...(read.ok
      ? []
      : [
          stop(
            'window.readable',
            fieldOf(read.path),
            said('window.unreadable', { problem: read.says }),
          ),
        ]),
    ...intent.clusters.flatMap((cluster, index) =>
      view.clusters.some(({ name }) => name === cluster)
        ? []
        : [
            stop(
              `window.cluster.${index}`,
              `clusters[${index}]`,
              said('window.cluster-missing', { cluster }),
            ),
          ],
    ),
  ]
}

const pause = { likely: 1, worst: 2 }

/** The struck window set again as it was, or nothing that was ever there. */
const undoOf = (before: WindowView | undefined, name: string) =>
  before ? command('window.set', before) : command('window.strike', { name })

export const windowSet: ChangeKind<WindowIntent> = {
  name: 'window.set',
  title: 'Set a maintenance window',
  intent: windowIntent,
  needs: () => [],
  subjects: (intent) => [ref('window', intent.name)],
  guardedBy: () => null,
  label: (intent) => `set window ${intent.name}`,
  check: (intent, view) => {
    const problems = problemsOf(intent, view)
    if (problems.length > 0) return problems
    const clusters = coveredBy(view, intent)
    const next: string[] = []
    for (let after = Date.parse(view.now); next.length < 3;) {
      const occurrence = nextOccurrence(intent, after)
      if (!occurrence) break
      next.push(isoTime(occurrence.start))
      after = occurrence.start
    }
    return [
      ...(clusters.length === 0
        ? [
            caution(
              'window.covers',
              'clusters',
              said('window.covers-none', { labels: labelTexts(intent.labels) }),
            ),
          ]
        : []),
      next.length === 0
        ? caution('window.never', 'rule', said('window.never'))
        : {
            level: 'note' as const,
            rule: 'window.next',
            field: 'start',
            ...said('window.next', { next, clusters }),
            because: [
              {
                ...said('window.computed', { rule: intent.rule ?? '', zone: intent.zone }),
                source: 'recurrence rule',
              },
            ],
          },
    ]
  },
  plan: (intent, view) => {
    const before = windowNamed(view, intent.name)
    const steps = [
      step({
        id: 'set',
        after: [],
        group: 'register',
        says: `window ${intent.name} kept`,
        command: command('window.set', intent),
        undo: undoOf(before, intent.name),
        seconds: pause,
      }),
    ]
    const subject = ref('window', intent.name)
    return {
      steps,
      creates: before ? [] : [subject],
      alters: before ? [subject] : [],
      removes: [],
      ...longestPath(steps),
      spend: { before: 0, after: 0 },
      reserves: [],
    }
  },
  after: (intent, view) => withWindow(view, intent),
  prove: (intent, view) => {
    const window = windowNamed(view, intent.name)
    const next = window && nextOccurrence(window, Date.parse(view.now))
    return [
      {
        says: `the register has window ${intent.name} as drafted`,
        holds:
          window !== undefined && JSON.stringify(specOf(window)) === JSON.stringify(specOf(intent)),
        observed: next ? `next ${isoTime(next.start)}` : 'no time ahead',
      },
    ]
  },
}

const removeIntent = z.strictObject({ name: windowName })
type RemoveIntent = z.infer<typeof removeIntent>

export const windowRemove: ChangeKind<RemoveIntent> = {
  name: 'window.remove',
  title: 'Remove a maintenance window',
  intent: removeIntent,
  needs: () => [],
  subjects: (intent) => [ref('window', intent.name)],
  guardedBy: () => null,
  label: (intent) => `remove window ${intent.name}`,
  check: (intent, view) => {
    if (!windowNamed(view, intent.name))
      return [
        stop(
          'window.known',
          'name',
          said('window.missing', {
            window: intent.name,
            windows: windowsOf(view).map(({ name }) => name),
          }),
        ),
      ]
    const bare = new Set(uncovered(view))
    const clusters = uncovered(without(view, intent.name)).filter((name) => !bare.has(name))
    return clusters.length === 0
      ? []
      : [
          caution('window.leaves', 'name', said('window.leaves', { clusters }), [
            {
              ...said('window.covered-by', { windows: windowsOf(view).length }),
              source: 'register',
            },
          ]),
        ]
  },
  plan: (intent, view) => {
    const before = windowNamed(view, intent.name)
    const steps = [
      step({
        id: 'strike',
        after: [],
        group: 'register',
        says: `window ${intent.name} struck`,
        command: command('window.strike', { name: intent.name }),
        ...(before ? { undo: command('window.set', before) } : {}),
        seconds: pause,
      }),
    ]
    return {
      steps,
      creates: [],
      alters: [],
      removes: [ref('window', intent.name)],
      ...longestPath(steps),
      spend: { before: 0, after: 0 },
      reserves: [],
    }
  },
  after: (intent, view) => without(view, intent.name),
  prove: (intent, view) => [
    {
      says: `the register has no window ${intent.name}`,
      holds: !windowNamed(view, intent.name),
      observed: `${windowsOf(view).length} kept`,
    },
  ],
}
