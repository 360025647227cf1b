/** The change kind `snapshot.schedule`: snapshots of a volume are taken by themselves, so many of them kept. */
import { z } from 'zod'
import { type ChangeKind, type RawFinding, ref, stop } from '../../changes'
import { command } from '../../contract'
import type { FleetView, SnapshotScheduleView } from '../../fleet'
import { step } from '../../provisioning/steps'
import { nextOccurrence, occurrences } from '../../windows'
import { askedVolume, fact, onVolume, patch, planOf, standing } from './parts'
import { said } from './says'

const name = z.string().max(253)

const scheduleIntent = z.strictObject({
  cluster: name,
  volume: name,
  start: z
    .string()
    .regex(/^\d{4}-\d{2}-\d{2}T\d{2}:\d{2}$/, 'Give a local time like 2026-03-03T03:00.'),
  zone: z.string().min(1, 'Name a time zone like Europe/Berlin.').max(60),
  /** A recurrence rule (RFC 5545); null ends the schedule. */
  rule: z.string().max(300).nullable(),
  keep: z.int().min(1).max(200).default(7),
})
type ScheduleIntent = z.infer<typeof scheduleIntent>

/** Snapshots that a schedule takes are named by their time; others are left alone. */
export const scheduledPrefix = 'at-'

export const scheduledName = (at: number): string =>
  `${scheduledPrefix}${new Date(at).toISOString().slice(0, 16).replace(/:/g, '').toLowerCase()}z`

const ofVolume = (view: FleetView, { cluster, volume }: ScheduleIntent) =>
  view.snapshotSchedules?.find(
    (schedule) => schedule.cluster === cluster && schedule.volume === volume,
  )

/** The first time (ms) after another at which a schedule takes a snapshot; null where there is none. */
export const nextSnapshot = (
  schedule: Pick<SnapshotScheduleView, 'start' | 'zone' | 'rule'>,
  after: number,
): number | null =>
  nextOccurrence(
    {
      name: 'snapshot',
      start: schedule.start,
      zone: schedule.zone,
      rule: schedule.rule,
      minutes: 1,
      except: [],
      clusters: [],
      labels: {},
    },
    after,
  )?.start ?? null

function check(intent: ScheduleIntent, view: FleetView): readonly RawFinding[] {
  const asked = askedVolume(intent, view)
  if ('findings' in asked) return asked.findings
  const { rule, start, zone } = intent
  const before = ofVolume(view, intent)
  if (rule === null)
    return before
      ? []
      : [stop('schedule.stands', 'rule', said('schedule.none', { volume: intent.volume }))]
  const now = Date.parse(view.now)
  const read = occurrences([{ name: 'snapshot', start, zone, minutes: 1, rule }], now, now + 1)
  if (!read.ok)
    return [
      stop(
        'schedule.readable',
        read.path.replace(/^windows\[0\]\.?/, ''),
        said('schedule.unreadable', { problem: read.says }),
        [],
        [{ says: 'Every day', change: patch('/rule', 'FREQ=DAILY') }],
      ),
    ]
  const next = nextSnapshot({ start, zone, rule }, now)
  if (next === null)
    return [
      stop(
        'schedule.occurs',
        'rule',
        said('schedule.never'),
        [],
        [{ says: 'Every day', change: patch('/rule', 'FREQ=DAILY') }],
      ),
    ]
  const after = nextSnapshot({ start, zone, rule }, next)
  return [
    {
      level: 'note',
      rule: 'schedule.reaches',
      field: 'keep',
      ...said('schedule.reaches', {
        first: new Date(next).toISOString(),
        keep: intent.keep,
        seconds: after === null ? 0 : ((after - next) / 1000) * intent.keep,
      }),
      because: [
        fact(
          asked.cluster,
          said('snapshots.are', { snapshots: asked.volume.snapshots.map((own) => own.name) }),
        ),
      ],
    },
  ]
}

const scheduleOf = ({ start, zone, rule, keep }: ScheduleIntent) =>
  rule === null ? null : { start, zone, rule, keep }

export const snapshotSchedule: ChangeKind<ScheduleIntent> = {
  ...onVolume<ScheduleIntent>(),
  name: 'snapshot.schedule',
  title: 'Take snapshots of a volume by themselves',
  intent: scheduleIntent,
  label: (intent) =>
    intent.rule === null
      ? `take no more snapshots of ${intent.volume || 'a volume'} by themselves`
      : `take snapshots of ${intent.volume || 'a volume'} by themselves`,
  check,
  plan: (intent, view) => {
    const target = { cluster: intent.cluster, volume: intent.volume }
    const before = ofVolume(view, intent)
    return planOf(
      standing(intent.cluster, view).cluster,
      view,
      [
        step({
          id: 'schedule',
          after: [],
          group: intent.volume,
          says: intent.rule === null ? 'end its schedule' : `keep the newest ${intent.keep}`,
          command: command('snapshots.set', { ...target, schedule: scheduleOf(intent) }),
          undo: command('snapshots.set', {
            ...target,
            schedule: before
              ? { start: before.start, zone: before.zone, rule: before.rule, keep: before.keep }
              : null,
          }),
          seconds: { likely: 1, worst: 3 },
        }),
      ],
      { alters: [ref('volume', intent.cluster, intent.volume)] },
    )
  },
  prove: (intent, view) => {
    const standingSchedule = ofVolume(view, intent)
    const next = standingSchedule && nextSnapshot(standingSchedule, Date.parse(view.now))
    return [
      intent.rule === null
        ? {
            says: `No snapshots of ${intent.volume} are taken by themselves`,
            holds: standingSchedule === undefined,
            observed: standingSchedule ? standingSchedule.rule : 'no schedule',
          }
        : {
            says: `Snapshots of ${intent.volume} are taken by themselves`,
            holds: standingSchedule?.rule === intent.rule,
            observed:
              next === undefined || next === null
                ? 'none is to come'
                : `the next on ${new Date(next).toISOString().slice(0, 16)}Z`,
          },
    ]
  },
  after: (intent, view) => {
    const schedule = scheduleOf(intent)
    const others = (view.snapshotSchedules ?? []).filter(
      (entry) => entry.cluster !== intent.cluster || entry.volume !== intent.volume,
    )
    return {
      ...view,
      snapshotSchedules: schedule
        ? [...others, { cluster: intent.cluster, volume: intent.volume, ...schedule }]
        : others,
    }
  },
}
