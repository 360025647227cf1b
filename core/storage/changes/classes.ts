/** The change kind `storage.class`: a class of the storage that a cluster keeps itself. */
import { z } from 'zod'
import { caution, type ChangeKind, type RawFinding, ref, stop } from '../../changes'
import { command, type Manifest, type StorageReport } from '../../contract'
import { clusterOf, type ClusterView, type FleetView, listedObjects, nodesOf } from '../../fleet'
import { record } from '../../objects'
import { step } from '../../provisioning/steps'
import { listText } from '../../units'
import { classNames, listedCluster, objectName, onObjects } from './listed'
import { fact, patch, planOf } from './parts'
import { said } from './says'

const name = z.string().max(253)

const classIntent = z.strictObject({
  cluster: name,
  name: objectName,
  copies: z.int().min(1).max(9).default(2),
  zones: z.enum(['required', 'preferred', 'any']).default('preferred'),
  binding: z.enum(['WaitForFirstConsumer', 'Immediate']).default('WaitForFirstConsumer'),
  /** Zones in which it makes volumes; empty is every one. */
  only: z.array(z.string().max(120)).max(50).default([]),
})
type ClassIntent = z.infer<typeof classIntent>

const zonesOf = (cluster: ClusterView): readonly string[] =>
  [...new Set(nodesOf(cluster).map((node) => node.zone))].sort()

const zoneLabel = 'topology.kubernetes.io/zone'

const classObject = (intent: ClassIntent, provisioner: string): Manifest => ({
  apiVersion: 'storage.k8s.io/v1',
  kind: 'StorageClass',
  metadata: { name: intent.name },
  provisioner,
  parameters: { copies: String(intent.copies), zones: intent.zones },
  allowVolumeExpansion: true,
  reclaimPolicy: 'Delete',
  volumeBindingMode: intent.binding,
  ...(intent.only.length === 0
    ? {}
    : {
        allowedTopologies: [
          { matchLabelExpressions: [{ key: zoneLabel, values: [...intent.only] }] },
        ],
      }),
})

/** The driver that the classes of this storage name. */
const driverIn = (view: FleetView, cluster: string, storage: StorageReport): string => {
  const offered = listedObjects(view, cluster).find(
    (object) =>
      object.kind === 'StorageClass' &&
      storage.classes.some((entry) => entry.name === object.metadata?.name),
  )
  return String(record(offered)['provisioner'] ?? storage.addOn)
}

function zoneFindings(
  intent: ClassIntent,
  cluster: ClusterView,
  storage: StorageReport,
): readonly RawFinding[] {
  const zones = zonesOf(cluster)
  const unknown = intent.only.filter((zone) => !zones.includes(zone))
  if (unknown.length > 0)
    return [
      stop('class.zones', 'only', said('class.zones', { zones: unknown }), [
        fact(cluster, said('zones.are', { zones })),
      ]),
    ]
  const withDisks = [...new Set(storage.disks.map((disk) => disk.zone))].sort()
  const findings: RawFinding[] = []
  if (intent.zones === 'required' && intent.copies > withDisks.length)
    findings.push(
      stop(
        'class.copies',
        'copies',
        said('class.copies', { copies: intent.copies, zones: withDisks }),
        [fact(cluster, said('zones.with-disks', { zones: withDisks }))],
        [
          {
            says: `Keep ${withDisks.length} copies`,
            change: patch('/copies', withDisks.length),
          },
          {
            says: 'Prefer different zones, but do not require them',
            change: patch('/zones', 'preferred'),
          },
        ],
      ),
    )
  const lacks = intent.only.length === 0 ? [] : zones.filter((zone) => !intent.only.includes(zone))
  if (lacks.length > 0)
    findings.push(
      caution(
        'class.hole',
        'only',
        said('class.hole', { name: intent.name, lacks }),
        [fact(cluster, said('zones.are', { zones }))],
        [{ says: 'Make volumes in every zone', change: patch('/only', []) }],
      ),
    )
  return findings
}

export const storageClass: ChangeKind<ClassIntent> = {
  ...onObjects<ClassIntent>(),
  name: 'storage.class',
  title: 'Make a storage class',
  intent: classIntent,
  subjects: (intent) => [ref('storageclass', intent.cluster, intent.name)],
  label: (intent) => `make the class ${intent.name} in ${intent.cluster || 'a cluster'}`,
  check: (intent, view) => {
    const asked = listedCluster(intent.cluster, view)
    if ('findings' in asked) return asked.findings
    const { cluster } = asked
    if (!cluster.storage)
      return [stop('storage.none', 'cluster', said('storage.none', { cluster: cluster.name }))]
    const taken = classNames(view, cluster.name)
    if (taken.includes(intent.name))
      return [
        stop(
          'class.name',
          'name',
          said('class.exists', { cluster: cluster.name, name: intent.name }),
          [fact(cluster, said('classes.are', { classes: taken }))],
        ),
      ]
    return zoneFindings(intent, cluster, cluster.storage)
  },
  plan: (intent, view) => {
    const { cluster, storage } = standingStorage(intent.cluster, view)
    const object = classObject(intent, driverIn(view, intent.cluster, storage))
    return planOf(
      cluster,
      view,
      [
        step({
          id: 'write',
          after: [],
          group: intent.name,
          says: `write the class: ${intent.copies} copies`,
          command: command('objects.apply', { cluster: intent.cluster, objects: [object] }),
          undo: command('objects.put-back', {
            cluster: intent.cluster,
            before: { $from: 'write', path: 'before' },
          }),
          seconds: { likely: 4, worst: 12 },
          retry: { attempts: 3, firstSeconds: 5, mostSeconds: 20 },
        }),
      ],
      { creates: [ref('storageclass', intent.cluster, intent.name)] },
    )
  },
  prove: (intent, view) => {
    const offered = clusterOf(view, intent.cluster)?.storage?.classes.find(
      (entry) => entry.name === intent.name,
    )
    return [
      {
        says: `Its API lists ${intent.name}`,
        holds: classNames(view, intent.cluster).includes(intent.name),
        observed: listText(classNames(view, intent.cluster)),
      },
      {
        says: `Volumes of it have ${intent.copies} copies`,
        holds: offered?.copies === intent.copies,
        observed: offered ? String(offered.copies) : 'the storage does not offer it',
      },
    ]
  },
}

function standingStorage(given: string, view: FleetView) {
  const cluster = clusterOf(view, given)
  if (!cluster?.storage) throw new Error('a plan is made only for storage that answers')
  return { cluster, storage: cluster.storage }
}
