/** The change kinds `storage.class` and `storage.grant`: a class is made, and a namespace is let use it up to a bound. */
import { z } from 'zod'
import {
  caution,
  type ChangeKind,
  guardedCluster,
  listing,
  noCluster,
  type Proof,
  type RawFinding,
  ref,
  stop,
} from '../../changes'
import { command, type Manifest, type StorageReport } from '../../contract'
import {
  clusterOf,
  type ClusterView,
  type FleetView,
  listedObjects,
  nodesOf,
  siteOf,
} from '../../fleet'
import { record } from '../../objects'
import { step } from '../../provisioning/steps'
import { decimalBytesText, listText } from '../../units'
import { ownerOf } from './holders'
import { allowedIn, askedIn, classAllowance, quotaIn, quotaKey } from '../grants'
import { fact, patch, planOf } from './parts'
import { said } from './says'

const name = z.string().max(253)
const objectName = z
  .string()
  .max(63)
  .regex(/^[a-z0-9]([-a-z0-9]*[a-z0-9])?$/, 'Use a–z, 0–9 and inner dashes.')

/** The cluster whose objects can be read, or what stands against it. */
function listedCluster(
  given: string,
  view: FleetView,
): { readonly cluster: ClusterView } | { readonly findings: readonly RawFinding[] } {
  const cluster = clusterOf(view, given)
  if (!cluster) return { findings: [noCluster(given, view)] }
  const silent = listing(cluster, view)
  return silent.length > 0 ? { findings: silent } : { cluster }
}

const classNames = (view: FleetView, cluster: string): readonly string[] =>
  listedObjects(view, cluster)
    .filter((object) => object.kind === 'StorageClass')
    .map((object) => object.metadata?.name ?? '')

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

const onObjects = <Intent extends { readonly cluster: string }>() =>
  ({
    needs: (intent) => [`cluster:${intent.cluster}` as const, `objects:${intent.cluster}` as const],
    guardedBy: (intent, view) => guardedCluster(intent.cluster, view),
  }) satisfies Pick<ChangeKind<Intent>, 'needs' | 'guardedBy'>

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

const grantIntent = z.strictObject({
  cluster: name,
  namespace: objectName,
  class: name,
  /** What its claims may ask for together (GB); 0 is no bound. */
  gigabytes: z.int().min(0).max(10_000_000),
})
type GrantIntent = z.infer<typeof grantIntent>

const gigabyte = 1e9

/** The quota that bounds the class in the namespace already, if one does. */
const boundingQuota = (intent: GrantIntent, view: FleetView) =>
  listedObjects(view, intent.cluster).find(
    (object) =>
      object.kind === 'ResourceQuota' &&
      (object.metadata?.namespace ?? 'default') === intent.namespace &&
      record(record(record(object)['spec'])['hard'])[quotaKey(intent.class)] !== undefined,
  )

const quotaName = (intent: GrantIntent, view: FleetView): string =>
  boundingQuota(intent, view)?.metadata?.name ?? `storage-${intent.class}`

const pointed = (key: string): string => key.replace(/~/g, '~0').replace(/\//g, '~1')

/** Classes that a namespace is limited to once it may use this one too. */
function allowedAfter(intent: GrantIntent, view: FleetView): readonly string[] {
  const objects = listedObjects(view, intent.cluster)
  const allowed = allowedIn(objects, intent.namespace)
  // Whatever it uses now it goes on using.
  const used = classNames(view, intent.cluster).filter(
    (entry) => askedIn(objects, intent.namespace, entry) > 0,
  )
  return [...new Set([...(allowed ?? used), intent.class])].sort()
}

function grantObjects(intent: GrantIntent, view: FleetView): readonly Manifest[] {
  return [
    {
      apiVersion: 'v1',
      kind: 'Namespace',
      metadata: {
        name: intent.namespace,
        annotations: { [classAllowance]: allowedAfter(intent, view).join(',') },
      },
    },
    ...(intent.gigabytes === 0
      ? []
      : [
          {
            apiVersion: 'v1',
            kind: 'ResourceQuota',
            metadata: { name: quotaName(intent, view), namespace: intent.namespace },
            spec: { hard: { [quotaKey(intent.class)]: `${intent.gigabytes}G` } },
          },
        ]),
  ]
}

function grantFindings(intent: GrantIntent, view: FleetView): readonly RawFinding[] {
  const asked = listedCluster(intent.cluster, view)
  if ('findings' in asked) return asked.findings
  const { cluster } = asked
  const objects = listedObjects(view, cluster.name)
  const findings: RawFinding[] = []
  if (!cluster.namespaces.includes(intent.namespace))
    findings.push(
      stop(
        'grant.namespace',
        'namespace',
        said('namespace.missing', { cluster: cluster.name, namespace: intent.namespace }),
        [fact(cluster, said('namespaces.are', { namespaces: cluster.namespaces }))],
      ),
    )
  const classes = classNames(view, cluster.name)
  if (!classes.includes(intent.class))
    findings.push(
      stop(
        'grant.class',
        'class',
        said('class.missing', { cluster: cluster.name, name: intent.class }),
        [fact(cluster, said('classes.are', { classes }))],
        classes.slice(0, 3).map((entry) => ({
          says: `Use ${entry}`,
          change: patch('/class', entry),
        })),
      ),
    )
  const used = askedIn(objects, intent.namespace, intent.class)
  if (intent.gigabytes > 0 && used > intent.gigabytes * gigabyte)
    findings.push(
      stop(
        'grant.used',
        'gigabytes',
        said('grant.used', { namespace: intent.namespace, class: intent.class, used }),
        [fact(cluster, said('claims.ask', { namespace: intent.namespace, used }))],
        [
          {
            says: `Bound it at ${Math.ceil(used / gigabyte)} GB`,
            change: patch('/gigabytes', Math.ceil(used / gigabyte)),
          },
        ],
      ),
    )
  const quota = boundingQuota(intent, view)
  const owner = quota ? ownerOf(quota) : ''
  if (intent.gigabytes > 0 && quota?.metadata?.name && owner !== '' && owner !== 'gyrarch')
    findings.push(
      caution(
        'grant.owned',
        'gigabytes',
        said('grant.owned', { quota: quota.metadata.name, owner }),
        [fact(cluster, said('written.by', { quota: quota.metadata.name, owner }))],
      ),
    )
  if (findings.length === 0 && allowedIn(objects, intent.namespace) === null)
    findings.push({
      level: 'note',
      rule: 'grant.limits',
      field: 'namespace',
      ...said('grant.limits', {
        namespace: intent.namespace,
        classes: allowedAfter(intent, view),
      }),
      because: [],
    })
  return findings
}

function proveGrant(intent: GrantIntent, view: FleetView): readonly Proof[] {
  const objects = listedObjects(view, intent.cluster)
  const allowed = allowedIn(objects, intent.namespace)
  const bound = quotaIn(objects, intent.namespace, intent.class)
  return [
    {
      says: `${intent.namespace} may use ${intent.class}`,
      holds: allowed === null || allowed.includes(intent.class),
      observed: allowed === null ? 'every class' : listText(allowed),
    },
    ...(intent.gigabytes === 0
      ? []
      : [
          {
            says: `Its claims of it are bounded at ${intent.gigabytes} GB`,
            holds: bound === intent.gigabytes * gigabyte,
            observed: bound === null ? 'no bound' : decimalBytesText(bound),
          },
        ]),
  ]
}

export const storageGrant: ChangeKind<GrantIntent> = {
  ...onObjects<GrantIntent>(),
  name: 'storage.grant',
  title: 'Let a namespace use a storage class',
  intent: grantIntent,
  subjects: (intent) => [ref('namespace', intent.cluster, intent.namespace)],
  label: (intent) => `let ${intent.namespace} use ${intent.class || 'a class'}`,
  check: grantFindings,
  plan: (intent, view) => {
    const cluster = clusterOf(view, intent.cluster)
    if (!cluster || !siteOf(view, cluster.site))
      throw new Error('a plan is made only for a cluster that is known')
    return planOf(
      cluster,
      view,
      [
        step({
          id: 'write',
          after: [],
          group: intent.namespace,
          says:
            intent.gigabytes === 0
              ? `may use ${intent.class}`
              : `may use ${intent.gigabytes} GB of ${intent.class}`,
          command: command('objects.apply', {
            cluster: intent.cluster,
            objects: [...grantObjects(intent, view)],
            force: [
              `Namespace//${intent.namespace} /metadata/annotations/${pointed(classAllowance)}`,
              `ResourceQuota/${intent.namespace}/${quotaName(intent, view)} /spec/hard/${pointed(quotaKey(intent.class))}`,
            ],
          }),
          undo: command('objects.put-back', {
            cluster: intent.cluster,
            before: { $from: 'write', path: 'before' },
          }),
          seconds: { likely: 4, worst: 12 },
          retry: { attempts: 3, firstSeconds: 5, mostSeconds: 20 },
        }),
      ],
      { alters: [ref('namespace', intent.cluster, intent.namespace)] },
    )
  },
  prove: proveGrant,
}
