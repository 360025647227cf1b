/** The change kind `volume.move`: a copy of a volume moves to another disk. */
import { z } from 'zod'
import { type ChangeKind, type RawFinding, stop, ref } from '../../changes'
import { command, type StorageReport, type VolumeReport } from '../../contract'
import { clusterOf } from '../../fleet'
import { step } from '../../provisioning/steps'
import { copyLabel, orderOf } from '../kept'
import { placeReplicas } from '../replicas'
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

const at = z
  .string()
  .max(300)
  .regex(/^[^/]+\/[^/]+$/, 'Write it as node/disk.')

const moveIntent = z.strictObject({ cluster: name, volume: name, from: at, to: at })
type MoveIntent = z.infer<typeof moveIntent>

export const placeNamed = (text: string): { readonly node: string; readonly disk: string } => {
  const [node = '', disk = ''] = text.split('/')
  return { node, disk }
}

/** Where the copies of a volume on a disk would go by themselves, each move on what the ones before left. */
export function targetsFrom(
  storage: StorageReport,
  from: { readonly node: string; readonly disk: string },
): ReadonlyMap<string, { readonly node: string; readonly disk: string } | null> {
  const order = orderOf(storage)
  const leaves = (copy: { readonly node: string; readonly disk: string }): boolean =>
    copyLabel(copy) === copyLabel(from)
  const moving = order.volumes.filter((volume) => (volume.on ?? []).some(leaves))
  const placed = placeReplicas({
    ...order,
    nodes: order.nodes.map((node) => ({
      ...node,
      disks: node.disks.filter((disk) => !leaves({ node: node.name, disk: disk.name })),
    })),
    volumes: moving.map((volume) => ({
      ...volume,
      on: (volume.on ?? []).filter((copy) => !leaves(copy)),
    })),
  })
  return new Map(
    placed.volumes.map((volume, nth) => {
      const stays = (moving[nth]?.on ?? []).filter((copy) => !leaves(copy)).map(copyLabel)
      return [
        volume.name,
        volume.replicas.find((copy) => !stays.includes(copyLabel(copy))) ?? null,
      ] as const
    }),
  )
}

/** Why a disk could not take a copy that leaves another, or null. */
function refusalOf(
  storage: StorageReport,
  volume: VolumeReport,
  from: string,
  to: string,
): string | null {
  const target = placeNamed(to)
  const stays = volume.replicas.filter((copy) => copyLabel(copy) !== from)
  if (stays.some((copy) => copy.node === target.node)) return 'node-taken'
  const order = orderOf(storage)
  const placed = placeReplicas({
    ...order,
    nodes: order.nodes.map((node) => ({
      ...node,
      disks: node.disks.filter(
        (disk) =>
          copyLabel({ node: node.name, disk: disk.name }) === to ||
          stays.some((copy) => copy.node === node.name && copy.disk === disk.name),
      ),
    })),
    volumes: order.volumes
      .filter((candidate) => candidate.name === volume.name)
      .map((candidate) => ({
        ...candidate,
        on: (candidate.on ?? []).filter((copy) => copyLabel(copy) !== from),
        replicas: (candidate.on ?? []).length,
      })),
  }).volumes[0]
  if (placed?.replicas.some((copy) => copy.node === target.node && copy.disk === target.disk))
    return null
  // Its own copies stand in the way of nothing but themselves: what is left is why the disk refuses.
  return Object.keys(placed?.tally ?? {}).find((reason) => reason !== 'node-taken') ?? 'no-room'
}

function moveFindings(
  intent: MoveIntent,
  { cluster, storage, volume }: Exclude<ReturnType<typeof askedVolume>, { findings: unknown }>,
): readonly RawFinding[] {
  const labels = storage.disks.map((disk) => copyLabel({ node: disk.node, disk: disk.name }))
  const copies = volume.replicas.map(copyLabel)
  if (!copies.includes(intent.from))
    return [
      stop(
        'copy.known',
        'from',
        said('copy.missing', { volume: volume.name, disk: intent.from }),
        [fact(cluster, said('copies.on', { disks: copies }))],
        copies.map((label) => ({
          says: `Move the one on ${label}`,
          change: patch('/from', label),
        })),
      ),
    ]
  const usual = targetsFrom(storage, placeNamed(intent.from)).get(volume.name)
  const offers = usual
    ? [{ says: `Move it to ${copyLabel(usual)}`, change: patch('/to', copyLabel(usual)) }]
    : []
  if (!labels.includes(intent.to))
    return [
      stop(
        'target.known',
        'to',
        said('target.missing', { disk: intent.to }),
        [fact(cluster, said('disks.are', { disks: labels }))],
        offers,
      ),
    ]
  const reason = refusalOf(storage, volume, intent.from, intent.to)
  return reason === null
    ? []
    : [
        stop(
          'target.refuses',
          'to',
          said('target.refuses', { volume: volume.name, disk: intent.to, reason }),
          [],
          offers,
        ),
      ]
}

export const volumeMove: ChangeKind<MoveIntent> = {
  ...onVolume<MoveIntent>(),
  name: 'volume.move',
  title: 'Move a copy of a volume',
  intent: moveIntent,
  label: (intent) => `move a copy of ${intent.volume || 'a volume'} to ${intent.to}`,
  check: (intent, view) => {
    const asked = askedVolume(intent, view)
    return 'findings' in asked ? asked.findings : moveFindings(intent, asked)
  },
  plan: (intent, view) => {
    const kept = standing(intent.cluster, view)
    const volume = standingVolume(kept, intent.volume)
    const move = (from: string, to: string) =>
      command('volume.move', {
        cluster: intent.cluster,
        volume: intent.volume,
        from: placeNamed(from),
        to: placeNamed(to),
      })
    return planOf(
      kept.cluster,
      view,
      [
        step({
          id: 'move',
          after: [],
          group: intent.volume,
          says: `copy it to ${intent.to}, then give up the copy on ${intent.from}`,
          command: move(intent.from, intent.to),
          undo: move(intent.to, intent.from),
          seconds: copySeconds(kept.storage, volume.usedBytes),
        }),
      ],
      { alters: [ref('volume', intent.cluster, intent.volume)] },
    )
  },
  prove: (intent, view) => {
    const storage = clusterOf(view, intent.cluster)?.storage
    const volume = storage ? volumeNamed(storage, intent.volume) : undefined
    const copies = (volume?.replicas ?? []).filter((copy) => copy.state === 'whole').map(copyLabel)
    return [
      {
        says: `${intent.volume} has a whole copy on ${intent.to}, none on ${intent.from}`,
        holds: copies.includes(intent.to) && !copies.includes(intent.from),
        observed: copies.join(', ') || 'no copy',
      },
      {
        says: 'It has all its copies',
        holds: volume !== undefined && copies.length >= volume.copies,
        observed: `${copies.length} of ${volume?.copies ?? 0}`,
      },
    ]
  },
  after: (intent, view) =>
    withVolume(view, intent, (volume) => ({
      ...volume,
      replicas: volume.replicas.map((copy) =>
        copyLabel(copy) === intent.from ? { ...copy, ...placeNamed(intent.to) } : copy,
      ),
    })),
}
