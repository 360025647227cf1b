/** The change kinds `volume.resize` and `volume.copies`: a volume grown, or kept in more or fewer copies. */
import { z } from 'zod'
import { caution, type ChangeKind, type RawFinding, ref, stop } from '../../changes'
import { command, type StorageReport, type VolumeReport } from '../../contract'
import { clusterOf } from '../../fleet'
import { step } from '../../provisioning/steps'
import { decimalBytesText, GB } from '../../units'
import { copyLabel, orderOf, plannedBytes } from '../kept'
import { type PlacedVolume, placeReplicas } from '../replicas'
import {
  askedVolume,
  copySeconds,
  fact,
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
const quick = { likely: 5, worst: 15 }

const resizeIntent = z.strictObject({
  cluster: name,
  volume: name,
  gigabytes: z.int().min(1).max(1_000_000),
})
type ResizeIntent = z.infer<typeof resizeIntent>

const diskText = ({ node, name: disk }: { readonly node: string; readonly name: string }): string =>
  copyLabel({ node, disk })

/** The room that is not promised yet on the tightest of a volume’s disks. */
function tightest(storage: StorageReport, volume: VolumeReport) {
  const held = storage.disks
    .filter((disk) =>
      volume.replicas.some((copy) => copy.node === disk.node && copy.disk === disk.name),
    )
    .map((disk) => ({
      disk,
      planned: plannedBytes(storage, disk),
      left: Math.floor((disk.bytes * storage.plannedPercent) / 100) - plannedBytes(storage, disk),
    }))
  return held.sort((a, b) => a.left - b.left)[0]
}

export const volumeResize: ChangeKind<ResizeIntent> = {
  ...onVolume<ResizeIntent>(),
  name: 'volume.resize',
  title: 'Grow a volume',
  intent: resizeIntent,
  label: (intent) => `grow ${intent.volume || 'a volume'} to ${intent.gigabytes} GB`,
  check: (intent, view) => {
    const asked = askedVolume(intent, view)
    if ('findings' in asked) return asked.findings
    const { cluster, storage, volume } = asked
    const bytes = intent.gigabytes * GB
    if (bytes < volume.bytes)
      return [
        stop(
          'volume.shrinks',
          'gigabytes',
          said('volume.shrinks', { volume: volume.name, bytes: volume.bytes }),
          [fact(cluster, said('volume.holds', { volume: volume.name, bytes: volume.usedBytes }))],
        ),
      ]
    if (bytes === volume.bytes)
      return [
        {
          level: 'note',
          rule: 'volume.same-size',
          field: 'gigabytes',
          ...said('volume.same-size', { volume: volume.name }),
          because: [],
        },
      ]
    const tight = tightest(storage, volume)
    if (!tight || bytes - volume.bytes <= tight.left) return []
    const fitting = Math.floor((volume.bytes + Math.max(0, tight.left)) / GB)
    return [
      stop(
        'volume.room',
        'gigabytes',
        said('volume.room', {
          volume: volume.name,
          disk: diskText(tight.disk),
          left: Math.max(0, tight.left),
        }),
        [
          fact(
            cluster,
            said('disk.promised', {
              disk: diskText(tight.disk),
              planned: tight.planned,
              bytes: tight.disk.bytes,
            }),
          ),
        ],
        fitting * GB > volume.bytes
          ? [{ says: `Grow it to ${fitting} GB`, change: patch('/gigabytes', fitting) }]
          : [],
      ),
    ]
  },
  plan: (intent, view) => {
    const { cluster } = standing(intent.cluster, view)
    return planOf(
      cluster,
      view,
      [
        step({
          id: 'set',
          after: [],
          group: intent.volume,
          says: `grow it to ${intent.gigabytes} GB on every disk`,
          command: command('volume.set', {
            cluster: intent.cluster,
            volume: intent.volume,
            bytes: intent.gigabytes * GB,
          }),
          final: true,
          seconds: quick,
        }),
      ],
      { alters: [ref('volume', intent.cluster, intent.volume)] },
    )
  },
  prove: (intent, view) => {
    const storage = clusterOf(view, intent.cluster)?.storage
    const volume = storage ? volumeNamed(storage, intent.volume) : undefined
    return [
      {
        says: `${intent.volume} has ${intent.gigabytes} GB`,
        holds: volume?.bytes === intent.gigabytes * GB,
        observed: volume ? decimalBytesText(volume.bytes) : 'it is gone',
      },
    ]
  },
  after: (intent, view) =>
    withVolume(view, intent, (volume) => ({ ...volume, bytes: intent.gigabytes * GB })),
}

const copiesIntent = z.strictObject({
  cluster: name,
  volume: name,
  copies: z.int().min(1).max(9),
})
type CopiesIntent = z.infer<typeof copiesIntent>

/** A volume as it would be placed with so many copies. */
function placedWith(storage: StorageReport, volume: string, copies: number): PlacedVolume {
  const order = orderOf(storage)
  const placed = placeReplicas({
    ...order,
    volumes: order.volumes.map((candidate) =>
      candidate.name === volume ? { ...candidate, replicas: copies } : candidate,
    ),
  }).volumes.find((candidate) => candidate.name === volume)
  return placed ?? { name: volume, replicas: [], short: copies, tally: {} }
}

function copiesFindings(
  intent: CopiesIntent,
  { cluster, storage, volume }: Exclude<ReturnType<typeof askedVolume>, { findings: unknown }>,
): readonly RawFinding[] {
  const placed = placedWith(storage, volume.name, intent.copies)
  if (placed.short > 0)
    return [
      stop(
        'volume.short',
        'copies',
        said('volume.short', {
          volume: volume.name,
          missing: placed.short,
          copies: intent.copies,
        }),
        Object.entries(placed.tally).map(([reason, disks]) =>
          fact(cluster, said('disks.refuse', { reason, disks })),
        ),
        intent.copies - placed.short > volume.copies
          ? [
              {
                says: `Keep ${intent.copies - placed.short} copies`,
                change: patch('/copies', intent.copies - placed.short),
              },
            ]
          : [],
      ),
    ]
  if (intent.copies >= volume.copies) return []
  return [
    intent.copies === 1
      ? caution('copies.single', 'copies', said('copies.single', { volume: volume.name }))
      : caution(
          'copies.fewer',
          'copies',
          said('copies.fewer', { volume: volume.name, copies: intent.copies }),
        ),
  ]
}

export const volumeCopies: ChangeKind<CopiesIntent> = {
  ...onVolume<CopiesIntent>(),
  name: 'volume.copies',
  title: 'Keep a volume in more or fewer copies',
  intent: copiesIntent,
  label: (intent) => `keep ${intent.volume || 'a volume'} in ${intent.copies} copies`,
  check: (intent, view) => {
    const asked = askedVolume(intent, view)
    if ('findings' in asked) return asked.findings
    if (asked.volume.copies === intent.copies)
      return [
        {
          level: 'note',
          rule: 'copies.same',
          field: 'copies',
          ...said('copies.same', { volume: intent.volume, copies: intent.copies }),
          because: [],
        },
      ]
    return copiesFindings(intent, asked)
  },
  plan: (intent, view) => {
    const kept = standing(intent.cluster, view)
    const volume = standingVolume(kept, intent.volume)
    const target = { cluster: intent.cluster, volume: intent.volume }
    const more = Math.max(0, intent.copies - volume.copies)
    return planOf(
      kept.cluster,
      view,
      [
        step({
          id: 'set',
          after: [],
          group: intent.volume,
          says: `keep it in ${intent.copies} copies`,
          command: command('volume.set', { ...target, copies: intent.copies }),
          undo: command('volume.set', { ...target, copies: volume.copies }),
          seconds: quick,
        }),
        step({
          id: 'whole',
          after: ['set'],
          group: intent.volume,
          says: 'wait until every copy is whole',
          command: command('volume.await-whole', target),
          seconds: copySeconds(kept.storage, more * volume.usedBytes),
        }),
      ],
      { alters: [ref('volume', intent.cluster, intent.volume)] },
    )
  },
  prove: (intent, view) => {
    const storage = clusterOf(view, intent.cluster)?.storage
    const whole =
      (storage ? volumeNamed(storage, intent.volume) : undefined)?.replicas.filter(
        (copy) => copy.state === 'whole',
      ).length ?? 0
    return [
      {
        says: `${intent.volume} has ${intent.copies} whole copies`,
        holds: whole === intent.copies,
        observed: String(whole),
      },
    ]
  },
  after: (intent, view) =>
    withVolume(view, intent, (volume) => ({ ...volume, copies: intent.copies })),
}
