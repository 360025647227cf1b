/** Writing to a cluster’s API: objects applied field by field with an owner for each, removed, put back. */
import { fieldAt, fieldsOf, isIdentity, ownersIn, withFields } from '../../core/objects/fields'
import { policyRefusals } from '../../core/objects'
import { permanent, transient } from '../failures'
import { namespaceLabels } from '../traffic/policies'
import { webhookAgainst } from '../traffic/webhooks'
import type { Behaviour, Sim } from '../engine/sim'
import type { Cluster, Manifest, OperationFailure } from '../world'
import { forbids, isClusterWide, withDefaults } from './admission'
import { answering } from './api'
import { queueAutoscalers } from './autoscale'
import { objectKey } from './manifests'
import { fillWorkload } from './controllers'
import { own } from './owned'
import { record } from './pod-events'
import { loads } from './placing'
import { settleFronts } from '../traffic/fronts'
import { drop, namespaced, store, workloadFor, writtenObject } from './stored'
import { bindAtOnce } from './volumes'
import { said } from './says'
import { trialOf } from './trial'
import { saidOf } from '../../core/contract'
import { countText } from '../../core/units'

export function settle(sim: Sim, cluster: Cluster, touched: readonly Manifest[]): void {
  bindAtOnce(sim, cluster)
  settleFronts(sim, cluster)
  const load = loads(cluster)
  for (const manifest of touched) {
    const workload = workloadFor(cluster, manifest)
    if (workload) fillWorkload(sim, cluster, workload, load)
  }
  queueAutoscalers(sim, cluster)
  sim.touchCluster(cluster.name)
}

/** The object once a manager has applied its fields; or who stands against it. */
export function applied(
  cluster: Cluster,
  manifest: Manifest,
  manager: string,
  force: ReadonlySet<string>,
):
  | { readonly object: Manifest; readonly owners: Readonly<Record<string, string>> }
  | { readonly conflict: string; readonly owner: string } {
  const key = objectKey(manifest)
  const live = writtenObject(cluster, manifest)
  const owners = { ...(cluster.owners?.[key] ?? {}) }
  const wanted = [...fieldsOf(manifest)].filter(([path]) => !isIdentity(path))
  for (const [path, value] of wanted) {
    const all = ownersIn(owners[path] ?? manager)
    const owner = all.find((each) => each !== manager)?.split('\t')[0]
    if (owner === undefined || all.includes(manager) || force.has(`${key} ${path}`)) continue
    if (JSON.stringify(fieldAt(live, path)) !== JSON.stringify(value))
      return { conflict: path, owner }
  }
  const own = new Set(wanted.map(([path]) => path))
  const leaves = Object.entries(owners)
    .filter(([path, text]) => ownersIn(text).includes(manager) && !own.has(path))
    .map(([path, text]) => ({ path, left: ownersIn(text).filter((each) => each !== manager) }))
  for (const { path, left } of leaves)
    if (left.length === 0) delete owners[path]
    else owners[path] = left.join('\n')
  const gone = leaves.filter(({ left }) => left.length === 0).map(({ path }) => path)
  // A field that another wrote and that stays as it is remains theirs.
  for (const [path, value] of wanted)
    if (owners[path] === undefined || JSON.stringify(fieldAt(live, path)) !== JSON.stringify(value))
      owners[path] = manager
  const base: Manifest = live ?? {
    apiVersion: manifest.apiVersion,
    kind: manifest.kind,
    metadata: {
      name: manifest.metadata.name,
      ...(manifest.metadata.namespace === undefined
        ? {}
        : { namespace: manifest.metadata.namespace }),
    },
  }
  return { object: { ...withFields(base, gone, wanted), apiVersion: manifest.apiVersion }, owners }
}

const about = (cluster: Cluster, manifest: Manifest): string =>
  `${manifest.kind.toLowerCase()}/${cluster.name}/${manifest.metadata.namespace === undefined ? '' : `${manifest.metadata.namespace}/`}${manifest.metadata.name}`

const order = [
  'Namespace',
  'PriorityClass',
  'StorageClass',
  'ResourceQuota',
  'LimitRange',
  'ServiceAccount',
  'ClusterRole',
  'Role',
  'ClusterRoleBinding',
  'RoleBinding',
  'ConfigMap',
  'Secret',
  'PersistentVolumeClaim',
  'Service',
]

const rank = (manifest: Manifest): number =>
  order.includes(manifest.kind) ? order.indexOf(manifest.kind) : order.length

/** Why an API does not take an object: what it forbids itself, or a webhook that it must ask and that is not reached, or refuses. */
export function objectionTo(
  sim: Sim,
  cluster: Cluster,
  trial: Cluster,
  object: Manifest,
  coming: ReadonlySet<string>,
  isController = false,
): OperationFailure | null {
  const operation = writtenObject(cluster, object) ? 'UPDATE' : 'CREATE'
  const unasked = webhookAgainst(sim, cluster, object, operation)
  if (unasked?.code === 'webhook-denies')
    return permanent('webhook-denies', unasked, { about: about(cluster, object), ...unasked })
  if (unasked)
    return transient('webhook-silent', unasked, { about: about(cluster, object), ...unasked })
  const refused = policyRefusals(trial.objects ?? [], {
    apiVersion: object.apiVersion,
    kind: object.kind,
    operation,
    namespaceLabels: isClusterWide(object.kind)
      ? null
      : namespaceLabels(trial, object.metadata.namespace ?? 'default'),
  }).find(({ refuses }) => refuses)
  if (refused) {
    const denied = said('policy-denies', refused)
    return permanent('policy-refuses', denied, { about: about(cluster, object), ...denied })
  }
  const forbidden = forbids(trial, object, coming, isController)
  return forbidden
    ? permanent(forbidden.reason, saidOf(forbidden), {
        about: about(cluster, object),
        ...saidOf(forbidden),
      })
    : null
}

/** All objects of a command are taken, or none is. */
export const objectsApply: Behaviour<'objects.apply'> = {
  stages: [
    {
      seconds: 3,
      then: (sim, op) => {
        const cluster = answering(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        const wanted = op.args.objects.map(namespaced).sort((a, b) => rank(a) - rank(b))
        const coming = new Set(
          wanted.filter((entry) => entry.kind === 'Namespace').map((entry) => entry.metadata.name),
        )
        const manager = op.args.manager
        const force = new Set(op.args.force)
        const results: { object: Manifest; owners: Readonly<Record<string, string>> }[] = []
        // Quotas and limits that come with it bind as soon as they are there: they are looked at in a copy.
        const { trial, dry } = trialOf(sim, cluster)
        for (const manifest of wanted) {
          const result = applied(trial, manifest, manager, force)
          if ('conflict' in result)
            return permanent(
              'field-conflict',
              said('field-conflict', {
                kind: manifest.kind,
                name: manifest.metadata.name,
                conflict: result.conflict,
                owner: result.owner,
              }),
              {
                about: about(cluster, manifest),
                ...said('belongs', { conflict: result.conflict, owner: result.owner }),
              },
            )
          const object = withDefaults(trial, result.object)
          const objection = objectionTo(sim, cluster, trial, object, coming)
          if (objection) return objection
          store(dry, trial, object)
          results.push({ object, owners: result.owners })
        }
        before.set(
          op,
          wanted.map((manifest) => ({
            key: objectKey(manifest),
            object: writtenObject(cluster, manifest) ?? null,
            identity: manifest,
            owners: cluster.owners?.[objectKey(manifest)] ?? null,
          })),
        )
        for (const { object, owners } of results) {
          store(sim, cluster, object)
          own(cluster, objectKey(object), owners, sim.now)
        }
        settle(sim, cluster, wanted)
        record(
          sim,
          cluster,
          'Normal',
          'Applied',
          `cluster/${cluster.name}`,
          `${countText(wanted.length, 'object')} applied by ${manager}`,
        )
        return said('applied', { wantedCount: wanted.length })
      },
    },
  ],
  result: (_sim, op) => ({ before: before.get(op) ?? [] }),
}

/** What was there before a command wrote, until its result is told in the same moment. */
const before = new WeakMap<
  object,
  readonly {
    readonly key: string
    readonly object: Manifest | null
    readonly identity: Manifest
    readonly owners: Readonly<Record<string, string>> | null
  }[]
>()

export const objectsRemove: Behaviour<'objects.remove'> = {
  stages: [
    {
      seconds: 3,
      then: (sim, op) => {
        const cluster = answering(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        const gone = op.args.objects.map(namespaced)
        before.set(
          op,
          gone.map((manifest) => ({
            key: objectKey(manifest),
            object: writtenObject(cluster, manifest) ?? null,
            identity: manifest,
            owners: cluster.owners?.[objectKey(manifest)] ?? null,
          })),
        )
        for (const manifest of gone) drop(sim, cluster, manifest)
        settleFronts(sim, cluster)
        sim.touchCluster(cluster.name)
        record(
          sim,
          cluster,
          'Normal',
          'Removed',
          `cluster/${cluster.name}`,
          `${countText(gone.length, 'object')} removed`,
        )
        return said('gone-count', { goneCount: gone.length })
      },
    },
  ],
  result: (_sim, op) => ({ before: before.get(op) ?? [] }),
}

/** Objects as they were before: what was made is removed, what was changed or removed is written back. */
export const objectsPutBack: Behaviour<'objects.put-back'> = {
  stages: [
    {
      seconds: 3,
      then: (sim, op) => {
        const cluster = answering(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        const entries = op.args.before ?? []
        const back: Manifest[] = []
        for (const entry of [...entries].reverse()) {
          const { identity, object, owners } = entry
          if (object === null) drop(sim, cluster, identity)
          else {
            store(sim, cluster, object)
            back.push(object)
            if (owners) own(cluster, entry.key, owners, sim.now)
          }
        }
        settle(sim, cluster, back)
        return said('entries-count', { entriesCount: entries.length })
      },
    },
  ],
}
