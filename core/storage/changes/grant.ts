/** The change kind `storage.grant`: a namespace may use a class, up to a bound. One fact, written as its annotation and a quota. */
import { z } from 'zod'
import { caution, type ChangeKind, type Proof, type RawFinding, ref, stop } from '../../changes'
import { command, type Manifest } from '../../contract'
import { clusterOf, type FleetView, listedObjects, siteOf, whoseIs, whoseText } from '../../fleet'
import { storageAllowance } from '../../manifests'
import { record } from '../../objects'
import { step } from '../../provisioning/steps'
import { decimalBytesText, GB, listText } from '../../units'
import { allowedIn, askedIn, quotaIn, quotaKey } from '../grants'
import { classNames, listedCluster, objectName, onObjects } from './listed'
import { fact, patch, planOf } from './parts'
import { said } from './says'

const name = z.string().max(253)

const grantIntent = z.strictObject({
  cluster: name,
  namespace: objectName,
  class: name,
  /** What its claims may ask for together (GB); 0 is no bound. */
  gigabytes: z.int().min(0).max(10_000_000),
})
type GrantIntent = z.infer<typeof grantIntent>

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
        annotations: { [storageAllowance]: allowedAfter(intent, view).join(',') },
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
  if (intent.gigabytes > 0 && used > intent.gigabytes * GB)
    findings.push(
      stop(
        'grant.used',
        'gigabytes',
        said('grant.used', { namespace: intent.namespace, class: intent.class, used }),
        [fact(cluster, said('claims.ask', { namespace: intent.namespace, used }))],
        [
          {
            says: `Bound it at ${Math.ceil(used / GB)} GB`,
            change: patch('/gigabytes', Math.ceil(used / GB)),
          },
        ],
      ),
    )
  const quota = boundingQuota(intent, view)
  const owner = quota ? whoseText(whoseIs([], quota)) : ''
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
            holds: bound === intent.gigabytes * GB,
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
              `Namespace//${intent.namespace} /metadata/annotations/${pointed(storageAllowance)}`,
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
