/**
 * The change kind `renew.guard`: from a release on, versions that it no longer serves are refused or warned of when somebody
 * writes them. It is an admission policy of the cluster itself: it stays when Gyrarch goes.
 */
import { z } from 'zod'
import {
  caution,
  type ChangeKind,
  guardedCluster,
  listing,
  longestPath,
  noCluster,
  noNamespace,
  type RawFinding,
  ref,
  stop,
} from '../../changes'
import { command } from '../../contract'
import { clusterOf, type FleetView, listedObjects, siteOf } from '../../fleet'
import { auditManifests, removalsUntil } from '../../manifests'
import {
  bindingKind,
  list,
  policiesServedFrom,
  policyKind,
  record,
  resourcesOf,
  text,
} from '../../objects'
import { step } from '../../provisioning/steps'
import { siteSpend } from '../../spend'
import { compareReleases } from '../../units'
import { said } from './says'

const guardIntent = z.strictObject({
  cluster: z.string().max(253),
  /** A namespace, or null for the whole cluster. */
  namespace: z.string().max(63).nullable().default(null),
  /** The minor whose removals count. */
  target: z
    .string()
    .max(11)
    .regex(/^\d{1,4}\.\d{1,4}$/, 'Name the target as a minor: 1.33.'),
  action: z.enum(['refuse', 'warn']).default('warn'),
})
type GuardIntent = z.infer<typeof guardIntent>

const apiVersion = 'admissionregistration.k8s.io/v1'
const policyName = ({ target }: GuardIntent): string => `gyrarch-guard-${target}`
const bindingName = (intent: GuardIntent): string =>
  `${policyName(intent)}-${intent.namespace ?? 'everywhere'}`
const actionOf = ({ action }: GuardIntent): string => (action === 'refuse' ? 'Deny' : 'Warn')

/** Rules that match exactly the versions that are gone at a minor. */
const rulesOf = (target: string) =>
  removalsUntil(target).map(({ apiVersion: gone, kinds }) => {
    const [group = '', version = ''] = gone.split('/')
    return {
      apiGroups: [group],
      apiVersions: [version],
      operations: ['CREATE', 'UPDATE'],
      resources: kinds.map(resourcesOf),
    }
  })

export const guardObjects = (intent: GuardIntent) => [
  {
    apiVersion,
    kind: policyKind,
    metadata: { name: policyName(intent) },
    spec: {
      failurePolicy: 'Fail',
      matchConstraints: { matchPolicy: 'Exact', resourceRules: rulesOf(intent.target) },
      validations: [
        {
          expression: 'false',
          message: `Release ${intent.target} no longer serves this version: write the one that takes its place.`,
          reason: 'Invalid',
        },
      ],
    },
  },
  {
    apiVersion,
    kind: bindingKind,
    metadata: { name: bindingName(intent) },
    spec: {
      policyName: policyName(intent),
      validationActions: [actionOf(intent)],
      ...(intent.namespace === null
        ? {}
        : {
            matchResources: {
              namespaceSelector: {
                matchLabels: { 'kubernetes.io/metadata.name': intent.namespace },
              },
            },
          }),
    },
  },
]

/** What the binding of a guard does now: `Deny`, `Warn`, or null where there is none. */
function guardedBy(intent: GuardIntent, view: FleetView): string | null {
  const binding = listedObjects(view, intent.cluster).find(
    ({ kind, metadata }) => kind === bindingKind && metadata?.name === bindingName(intent),
  )
  return binding ? text(list(record(record(binding)['spec'])['validationActions'])[0]) : null
}

function check(intent: GuardIntent, view: FleetView): readonly RawFinding[] {
  const cluster = clusterOf(view, intent.cluster)
  if (!cluster) return [noCluster(intent.cluster, view)]
  const silent = listing(cluster, view)
  if (silent.length > 0) return silent
  const seen = { source: cluster.name, at: cluster.observedAt }
  if (compareReleases(cluster.release, `${policiesServedFrom}.0`) < 0)
    return [
      stop(
        'guard.served',
        'cluster',
        said('guard.not-served', { cluster: cluster.name, from: policiesServedFrom }),
        [{ ...said('cluster-runs', { cluster: cluster.name, release: cluster.release }), ...seen }],
      ),
    ]
  if (intent.namespace !== null && !cluster.namespaces.includes(intent.namespace))
    return [noNamespace(intent.namespace, cluster)]
  if (rulesOf(intent.target).length === 0)
    return [stop('guard.matches', 'target', said('guard.nothing', { target: intent.target }), [])]
  if (guardedBy(intent, view) === actionOf(intent))
    return [
      stop('guard.new', 'action', said('guard.same', { name: bindingName(intent) }), [
        { ...said('guard.is', { name: bindingName(intent), action: actionOf(intent) }), ...seen },
      ]),
    ]
  const met = listedObjects(view, cluster.name).flatMap((object) => {
    const { kind, metadata } = object
    if (intent.namespace !== null && metadata?.namespace !== intent.namespace) return []
    const written = { apiVersion: object.apiVersion, kind, metadata: { name: metadata?.name } }
    const [entry] = auditManifests(JSON.stringify(written), intent.target).found
    return entry?.gone === true ? [{ object: `${kind} ${metadata?.name ?? ''}`, entry }] : []
  })
  if (met.length === 0) return []
  return [
    caution(
      'guard.meets',
      'action',
      said('guard.meets', { objects: met.map(({ object }) => object), action: intent.action }),
      met.slice(0, 8).map(({ object, entry }) => ({
        ...said('object.goes', {
          object,
          apiVersion: entry.apiVersion,
          removedIn: entry.removedIn,
        }),
        ...seen,
      })),
    ),
  ]
}

const placeText = ({ cluster, namespace }: GuardIntent): string =>
  namespace === null ? cluster || 'a cluster' : `${namespace} of ${cluster || 'a cluster'}`

export const renewGuard: ChangeKind<GuardIntent> = {
  name: 'renew.guard',
  title: 'Guard against versions that go',
  intent: guardIntent,
  needs: (intent) => [`cluster:${intent.cluster}`, `objects:${intent.cluster}`],
  subjects: (intent) => [ref('guard', intent.cluster, bindingName(intent))],
  guardedBy: (intent, view) => guardedCluster(intent.cluster, view),
  label: (intent) =>
    `${intent.action} what ${intent.target} no longer serves in ${placeText(intent)}`,
  check,
  plan: (intent, view) => {
    const cluster = clusterOf(view, intent.cluster)
    const site = cluster && siteOf(view, cluster.site)
    if (!site) throw new Error('a plan is made only for a cluster that is known')
    const steps = [
      step({
        id: 'write',
        after: [],
        group: intent.cluster,
        says: `a policy that matches exactly the versions gone at ${intent.target}, and its binding`,
        command: command('objects.apply', {
          cluster: intent.cluster,
          objects: guardObjects(intent),
          force: [],
        }),
        undo: command('objects.put-back', {
          cluster: intent.cluster,
          before: { $from: 'write', path: 'before' },
        }),
        seconds: { likely: 4, worst: 12 },
        retry: { attempts: 3, firstSeconds: 5, mostSeconds: 20 },
      }),
    ]
    const spend = siteSpend(site).perMonth
    return {
      steps,
      creates: [],
      alters: [ref('cluster', intent.cluster)],
      removes: [],
      ...longestPath(steps),
      spend: { before: spend, after: spend },
      reserves: [],
    }
  },
  prove: (intent, view) => {
    const does = guardedBy(intent, view)
    return [
      {
        says: `${bindingName(intent)} ${intent.action === 'refuse' ? 'refuses' : 'warns'}`,
        holds: does === actionOf(intent),
        observed: does ?? 'no such binding',
      },
    ]
  },
}
