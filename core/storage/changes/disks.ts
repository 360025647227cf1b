/** The change kinds `disk.add` and `disk.retire`: a disk takes copies, or is emptied and given back. */
import { z } from 'zod'
import {
  caution,
  type ChangeKind,
  guardedCluster,
  type RawFinding,
  ref,
  type Step,
  stop,
} from '../../changes'
import { command, type StorageReport } from '../../contract'
import { clusterOf, type FleetView, nodesOf } from '../../fleet'
import { step } from '../../provisioning/steps'
import { decimalBytesText, GB } from '../../units'
import { copyLabel, volumeState } from '../kept'
import { copySeconds, fact, keptOf, planOf, standing, withStorage } from './parts'
import { said } from './says'
import { targetsFrom } from './move'

const name = z.string().max(253)

const ofDisk = z.strictObject({ cluster: name, node: name, disk: z.string().max(63) })
type OfDisk = z.infer<typeof ofDisk>

const diskIn = (storage: StorageReport | null | undefined, { node, disk }: OfDisk) =>
  storage?.disks.find((candidate) => candidate.node === node && candidate.name === disk)

const onDisk = <Intent extends OfDisk>() =>
  ({
    needs: (intent) => [`cluster:${intent.cluster}` as const],
    subjects: (intent) => [ref('disk', intent.cluster, intent.node, intent.disk)],
    guardedBy: (intent, view) => guardedCluster(intent.cluster, view),
  }) satisfies Pick<ChangeKind<Intent>, 'needs' | 'subjects' | 'guardedBy'>

const addIntent = ofDisk.extend({ gigabytes: z.int().min(1).max(1_000_000) })
type AddIntent = z.infer<typeof addIntent>

export const diskAdd: ChangeKind<AddIntent> = {
  ...onDisk<AddIntent>(),
  name: 'disk.add',
  title: 'Let a disk take copies',
  intent: addIntent,
  label: (intent) => `add the disk ${copyLabel(intent)} of ${intent.gigabytes} GB`,
  check: (intent, view) => {
    const kept = keptOf(intent.cluster, view)
    if ('findings' in kept) return kept.findings
    const { cluster, storage } = kept
    const nodes = nodesOf(cluster).map((node) => node.name)
    const findings: RawFinding[] = []
    if (!nodes.includes(intent.node))
      findings.push(
        stop(
          'disk.node',
          'node',
          intent.node === '' ? said('node.none') : said('node.missing', { node: intent.node }),
          [fact(cluster, said('nodes.keep', { nodes }))],
        ),
      )
    if (intent.disk === '') findings.push(stop('disk.named', 'disk', said('disk.none')))
    if (diskIn(storage, intent))
      findings.push(stop('disk.new', 'disk', said('disk.exists', { disk: copyLabel(intent) })))
    return findings
  },
  plan: (intent, view) => {
    const { cluster, node, disk, gigabytes } = intent
    return planOf(
      standing(cluster, view).cluster,
      view,
      [
        step({
          id: 'add',
          after: [],
          group: node,
          says: `take ${disk} with ${gigabytes} GB into the storage`,
          command: command('disk.add', { cluster, node, disk, bytes: gigabytes * GB }),
          undo: command('disk.remove', { cluster, node, disk }),
          seconds: { likely: 9, worst: 25 },
        }),
      ],
      { creates: [ref('disk', cluster, node, disk)] },
    )
  },
  prove: (intent, view) => {
    const disk = diskIn(clusterOf(view, intent.cluster)?.storage, intent)
    return [
      {
        says: `${copyLabel(intent)} takes copies`,
        holds: disk?.state === 'ready',
        observed: disk ? `${disk.state}, ${decimalBytesText(disk.bytes)}` : 'it is not there',
      },
    ]
  },
  after: (intent, view) =>
    withStorage(view, intent.cluster, (storage) => ({
      ...storage,
      disks: [
        ...storage.disks,
        {
          node: intent.node,
          zone: zoneOf(view, intent),
          name: intent.disk,
          bytes: intent.gigabytes * GB,
          freeBytes: intent.gigabytes * GB,
          state: 'ready',
        },
      ],
    })),
}

function zoneOf(view: FleetView, intent: OfDisk): string {
  const cluster = clusterOf(view, intent.cluster)
  return (cluster ? nodesOf(cluster) : []).find((node) => node.name === intent.node)?.zone ?? ''
}

function retireFindings(intent: OfDisk, view: FleetView): readonly RawFinding[] {
  const kept = keptOf(intent.cluster, view)
  if ('findings' in kept) return kept.findings
  const { cluster, storage } = kept
  const label = copyLabel(intent)
  const disk = diskIn(storage, intent)
  if (!disk)
    return [
      stop('disk.known', 'disk', said('disk.missing', { disk: label }), [
        fact(
          cluster,
          said('disks.are', {
            disks: storage.disks.map((entry) => copyLabel({ node: entry.node, disk: entry.name })),
          }),
        ),
      ]),
    ]
  if (disk.state === 'lost')
    return [stop('disk.silent', 'disk', said('disk.gone-copies', { disk: label }))]
  const targets = targetsFrom(storage, intent)
  const stuck = [...targets].filter(([, target]) => target === null)
  if (stuck.length > 0)
    return stuck.map(([volume]): RawFinding => ({
      level: 'stop',
      rule: 'disk.stuck',
      about: ref('volume', intent.cluster, volume),
      ...said('disk.stuck', { disk: label, volume }),
      because: [],
    }))
  if (targets.size === 0) return []
  const bytes = storage.volumes
    .filter((volume) => targets.has(volume.name))
    .reduce((sum, volume) => sum + volume.usedBytes, 0)
  return [
    caution(
      'disk.emptied',
      'disk',
      said('disk.emptied', { disk: label, volumes: targets.size, bytes }),
      [...targets].map(([volume, target]) =>
        fact(cluster, said('copy.goes', { volume, disk: target ? copyLabel(target) : '' })),
      ),
    ),
  ]
}

function retireSteps(intent: OfDisk, storage: StorageReport): readonly Step[] {
  const { cluster, node, disk } = intent
  const setTo = (retiring: boolean) => command('disk.set', { cluster, node, disk, retiring })
  const steps: Step[] = [
    step({
      id: 'close',
      after: [],
      group: node,
      says: `${disk} takes nothing new`,
      command: setTo(true),
      undo: setTo(false),
      seconds: { likely: 3, worst: 10 },
    }),
  ]
  for (const [volume, target] of targetsFrom(storage, intent)) {
    if (!target) continue
    const used = storage.volumes.find((candidate) => candidate.name === volume)?.usedBytes ?? 0
    const from = { node, disk }
    steps.push(
      step({
        id: `move:${volume}`,
        after: [steps.at(-1)?.id ?? 'close'],
        group: volume,
        says: `move its copy to ${copyLabel(target)}`,
        command: command('volume.move', { cluster, volume, from, to: target }),
        undo: command('volume.move', { cluster, volume, from: target, to: from }),
        seconds: copySeconds(storage, used),
      }),
    )
  }
  steps.push(
    step({
      id: 'remove',
      after: [steps.at(-1)?.id ?? 'close'],
      group: node,
      says: `take ${disk} out of the storage`,
      command: command('disk.remove', { cluster, node, disk }),
      final: true,
      seconds: { likely: 5, worst: 15 },
    }),
  )
  return steps
}

export const diskRetire: ChangeKind<OfDisk> = {
  ...onDisk<OfDisk>(),
  name: 'disk.retire',
  title: 'Empty a disk and give it back',
  intent: ofDisk,
  // The volumes whose copies move are not to be moved by anything else meanwhile.
  subjects: (intent, view) => [
    ref('disk', intent.cluster, intent.node, intent.disk),
    ...(clusterOf(view, intent.cluster)?.storage?.volumes ?? [])
      .filter((volume) => volume.replicas.some((copy) => copyLabel(copy) === copyLabel(intent)))
      .map((volume) => ref('volume', intent.cluster, volume.name)),
  ],
  label: (intent) => `retire the disk ${copyLabel(intent)}`,
  check: retireFindings,
  plan: (intent, view) => {
    const { cluster, storage } = standing(intent.cluster, view)
    return planOf(cluster, view, retireSteps(intent, storage), {
      alters: [...targetsFrom(storage, intent).keys()].map((volume) =>
        ref('volume', intent.cluster, volume),
      ),
      removes: [ref('disk', intent.cluster, intent.node, intent.disk)],
    })
  },
  prove: (intent, view) => {
    const storage = clusterOf(view, intent.cluster)?.storage
    const held = (storage?.volumes ?? []).filter((volume) =>
      volume.replicas.some((copy) => copyLabel(copy) === copyLabel(intent)),
    )
    const hurt = (storage?.volumes ?? []).filter((volume) => volumeState(volume) !== 'whole')
    return [
      {
        says: `${copyLabel(intent)} keeps no copies any more`,
        holds: storage !== undefined && !diskIn(storage, intent) && held.length === 0,
        observed: diskIn(storage, intent) ? 'it is still there' : 'it is gone',
      },
      {
        says: 'Every volume has all its copies',
        holds: hurt.length === 0,
        observed: hurt.length === 0 ? 'all whole' : hurt.map((volume) => volume.name).join(', '),
      },
    ]
  },
  after: (intent, view) =>
    withStorage(view, intent.cluster, (storage) => {
      const targets = targetsFrom(storage, intent)
      return {
        ...storage,
        disks: storage.disks.filter((disk) => disk !== diskIn(storage, intent)),
        volumes: storage.volumes.map((volume) => ({
          ...volume,
          replicas: volume.replicas.map((copy) =>
            copyLabel(copy) === copyLabel(intent)
              ? { ...copy, ...(targets.get(volume.name) ?? {}) }
              : copy,
          ),
        })),
      }
    }),
}
