/** The change kinds `snapshot.take`, `snapshot.remove` and `snapshot.restore`. */
import { z } from 'zod'
import { caution, type ChangeKind, type RawFinding, ref, stop } from '../../changes'
import { command, type VolumeReport } from '../../contract'
import { clusterOf, type FleetView } from '../../fleet'
import { step } from '../../provisioning/steps'
import { decimalBytesText } from '../../units'
import { attachSteps, detachSteps, holdersOf, holderText } from './holders'
import {
  askedVolume,
  fact,
  type Kept,
  onVolume,
  patch,
  planOf,
  standing,
  standingVolume,
  volumeNamed,
  withVolume,
} from './parts'
import { said } from './says'

const name = z.string().max(253)
const snapshotName = z
  .string()
  .max(80)
  .regex(/^[a-z0-9]([-a-z0-9]*[a-z0-9])?$/, 'Use a–z, 0–9 and inner dashes.')

const takeIntent = z.strictObject({ cluster: name, volume: name, snapshot: snapshotName })
type TakeIntent = z.infer<typeof takeIntent>

const namesOf = (volume: VolumeReport): readonly string[] =>
  volume.snapshots.map((snapshot) => snapshot.name)

/** The first name that is free: the one given, or with a number behind it. */
function freeName(volume: VolumeReport, wanted: string): string {
  const taken = namesOf(volume)
  if (!taken.includes(wanted)) return wanted
  for (let n = 2; ; n++) if (!taken.includes(`${wanted}-${n}`)) return `${wanted}-${n}`
}

const snapshotRef = (intent: TakeIntent) =>
  ref('snapshot', intent.cluster, intent.volume, intent.snapshot)

const targetOf = ({ cluster, volume, snapshot }: TakeIntent) => ({ cluster, volume, snapshot })

function volumeIn(intent: TakeIntent, view: FleetView): VolumeReport | undefined {
  const storage = clusterOf(view, intent.cluster)?.storage
  return storage ? volumeNamed(storage, intent.volume) : undefined
}

export const snapshotTake: ChangeKind<TakeIntent> = {
  ...onVolume<TakeIntent>(),
  name: 'snapshot.take',
  title: 'Take a snapshot of a volume',
  intent: takeIntent,
  label: (intent) => `take ${intent.snapshot || 'a snapshot'} of ${intent.volume || 'a volume'}`,
  check: (intent, view) => {
    const asked = askedVolume(intent, view)
    if ('findings' in asked) return asked.findings
    const { cluster, volume } = asked
    if (!namesOf(volume).includes(intent.snapshot)) return []
    const free = freeName(volume, intent.snapshot)
    return [
      stop(
        'snapshot.name',
        'snapshot',
        said('snapshot.exists', { volume: volume.name, snapshot: intent.snapshot }),
        [fact(cluster, said('snapshots.are', { snapshots: namesOf(volume) }))],
        [{ says: `Call it ${free}`, change: patch('/snapshot', free) }],
      ),
    ]
  },
  plan: (intent, view) =>
    planOf(
      standing(intent.cluster, view).cluster,
      view,
      [
        step({
          id: 'take',
          after: [],
          group: intent.volume,
          says: `keep what it holds as ${intent.snapshot}`,
          command: command('snapshot.take', targetOf(intent)),
          undo: command('snapshot.remove', targetOf(intent)),
          seconds: { likely: 6, worst: 20 },
        }),
      ],
      { creates: [snapshotRef(intent)] },
    ),
  prove: (intent, view) => {
    const taken = volumeIn(intent, view)?.snapshots.find(({ name: own }) => own === intent.snapshot)
    return [
      {
        says: `${intent.volume} has the snapshot ${intent.snapshot}`,
        holds: taken !== undefined,
        observed: taken
          ? `${decimalBytesText(taken.usedBytes)} as of ${taken.at.slice(0, 16)}Z`
          : 'none',
      },
    ]
  },
  after: (intent, view) =>
    withVolume(view, intent, (volume) => ({
      ...volume,
      snapshots: [
        ...volume.snapshots,
        { name: intent.snapshot, at: view.now, usedBytes: volume.usedBytes },
      ],
    })),
}

/** What stands against a draft that names a snapshot which is not there. */
function missing(intent: TakeIntent, { cluster, volume }: Kept & { volume: VolumeReport }) {
  return stop(
    'snapshot.known',
    'snapshot',
    said('snapshot.missing', { volume: volume.name, snapshot: intent.snapshot }),
    [fact(cluster, said('snapshots.are', { snapshots: namesOf(volume) }))],
    namesOf(volume)
      .slice(-3)
      .map((own) => ({ says: `Use ${own}`, change: patch('/snapshot', own) })),
  )
}

export const snapshotRemove: ChangeKind<TakeIntent> = {
  ...onVolume<TakeIntent>(),
  name: 'snapshot.remove',
  title: 'Give a snapshot up',
  intent: takeIntent,
  label: (intent) => `give up ${intent.snapshot || 'a snapshot'} of ${intent.volume || 'a volume'}`,
  check: (intent, view) => {
    const asked = askedVolume(intent, view)
    if ('findings' in asked) return asked.findings
    return namesOf(asked.volume).includes(intent.snapshot) ? [] : [missing(intent, asked)]
  },
  plan: (intent, view) =>
    planOf(
      standing(intent.cluster, view).cluster,
      view,
      [
        step({
          id: 'remove',
          after: [],
          group: intent.volume,
          says: `give ${intent.snapshot} up`,
          command: command('snapshot.remove', targetOf(intent)),
          final: true,
          seconds: { likely: 5, worst: 15 },
        }),
      ],
      { removes: [snapshotRef(intent)] },
    ),
  prove: (intent, view) => {
    const volume = volumeIn(intent, view)
    return [
      {
        says: `${intent.snapshot} is gone`,
        holds: volume !== undefined && !namesOf(volume).includes(intent.snapshot),
        observed: volume ? namesOf(volume).join(', ') || 'no snapshots' : 'the volume is gone',
      },
    ]
  },
}

const restoreIntent = takeIntent.extend({
  /** Whether what uses the volume is stopped for the time of it, and started again. */
  detach: z.boolean().default(false),
})
type RestoreIntent = z.infer<typeof restoreIntent>

function restoreFindings(
  intent: RestoreIntent,
  asked: Kept & { volume: VolumeReport },
  view: FleetView,
): readonly RawFinding[] {
  const { cluster, storage, volume } = asked
  const snapshot = volume.snapshots.find(({ name: own }) => own === intent.snapshot)
  if (!snapshot) return [missing(intent, asked)]
  const holders = holdersOf(view, cluster.name, storage, [volume.name])
  const seconds = Math.max(0, (Date.parse(view.now) - Date.parse(snapshot.at)) / 1000)
  const loses = caution(
    'snapshot.loses',
    'snapshot',
    said('snapshot.loses', { volume: volume.name, snapshot: snapshot.name, seconds }),
    [
      fact(
        cluster,
        said('snapshot.holds', {
          snapshot: snapshot.name,
          bytes: snapshot.usedBytes,
          used: volume.usedBytes,
        }),
      ),
    ],
  )
  const inTheWay = holders.filter((holder) => !intent.detach || !holder.scales)
  return [
    loses,
    ...inTheWay.map((holder): RawFinding => ({
      level: 'stop',
      rule: 'restore.attached',
      about: ref(holder.kind.toLowerCase(), cluster.name, holder.namespace, holder.name),
      ...said('restore.attached', {
        volume: volume.name,
        pods: holder.pods.map(({ pod }) => pod),
        workload: holderText(holder),
      }),
      because: holder.pods.map(({ pod, node }) =>
        fact(cluster, said('pod.uses', { pod, volume: volume.name, node })),
      ),
      offers: holder.scales
        ? [
            {
              says: 'Stop it for the time of it, and start it again',
              change: patch('/detach', true),
            },
          ]
        : [],
    })),
  ]
}

export const snapshotRestore: ChangeKind<RestoreIntent> = {
  ...onVolume<RestoreIntent>(),
  name: 'snapshot.restore',
  title: 'Put a volume back to a snapshot',
  intent: restoreIntent,
  needs: (intent) => [`cluster:${intent.cluster}`, `objects:${intent.cluster}`],
  label: (intent) =>
    `put ${intent.volume || 'a volume'} back to ${intent.snapshot || 'a snapshot'}`,
  check: (intent, view) => {
    const asked = askedVolume(intent, view)
    return 'findings' in asked ? asked.findings : restoreFindings(intent, asked, view)
  },
  plan: (intent, view) => {
    const kept = standing(intent.cluster, view)
    const volume = standingVolume(kept, intent.volume)
    const { cluster, storage } = kept
    const holders = holdersOf(view, cluster.name, storage, [volume.name]).filter(
      (holder) => holder.scales,
    )
    const safety = { ...targetOf(intent), snapshot: freeName(volume, 'before-restore') }
    const detach = detachSteps(cluster.name, holders, [volume.name], [])
    const attach = attachSteps(cluster.name, holders, ['restore'])
    return planOf(
      cluster,
      view,
      [
        ...detach.steps,
        step({
          id: 'keep',
          after: detach.last,
          group: volume.name,
          says: `keep what it holds now as ${safety.snapshot}`,
          command: command('snapshot.take', safety),
          seconds: { likely: 6, worst: 20 },
        }),
        step({
          id: 'restore',
          after: ['keep'],
          group: volume.name,
          says: `put back what ${intent.snapshot} holds`,
          command: command('snapshot.restore', targetOf(intent)),
          undo: command('snapshot.restore', safety),
          seconds: { likely: 22, worst: 60 },
        }),
        ...attach.steps,
      ],
      {
        creates: [snapshotRef(safety)],
        alters: [ref('volume', intent.cluster, intent.volume)],
      },
    )
  },
  prove: (intent, view, results) => {
    const volume = volumeIn(intent, view)
    const snapshot = volume?.snapshots.find(({ name: own }) => own === intent.snapshot)
    const restored = Number(results['restore']?.['usedBytes'] ?? NaN)
    return [
      {
        says: `It holds what ${intent.snapshot} holds`,
        holds: snapshot !== undefined && restored === snapshot.usedBytes,
        observed: Number.isFinite(restored) ? decimalBytesText(restored) : 'nothing was put back',
      },
      {
        says: 'What it held before is kept',
        holds: volume?.snapshots.some(({ name: own }) => own.startsWith('before-restore')) === true,
        observed: volume ? namesOf(volume).join(', ') : 'the volume is gone',
      },
    ]
  },
}
