/** Manifests applied to a cluster, and objects removed from it: `manifest.apply`, `manifest.remove`. */
import { guardedCluster, listing, noCluster } from '../changes'
import { quoted } from '../contract'
import { command } from '../contract'
import type { ChangeKind, Plan, Proof, RawFinding, Step } from '../changes'
import { longestPath, ref } from '../changes'
import type { ClusterView, FleetView } from '../fleet'
import { clusterOf, listedObjects } from '../fleet'
import { asText, fieldText, record } from '../objects'
import { step } from '../provisioning/steps'
import { spendUnchanged } from '../spend'
import { countText, listText } from '../units'
import type { ObjectChange } from './diff'
import type { WrittenObject } from './parse'
import { objectKey, objectText } from './parse'
import { invalidities } from './validate'
import { knownKinds } from './served-kinds'
import { typeOfKind } from './schema'
import { immutableFindings, limitFindings, servedFindings, serviceFindings } from './api-checks'
import { mayDecideWays, runFindings, viewAfter, wayChanges, wholeOf } from './run-checks'
import { said } from './says'
import type { ApplyIntent } from './apply-intent'
import {
  applyIntent,
  changesOf,
  conflictKey,
  documentsOf,
  liveObjects,
  rolling,
} from './apply-intent'
import {
  allowanceFindings,
  conflictFindings,
  referenceFindings,
  textFindings,
} from './apply-checks'
import { capacityFindings } from './capacity-checks'
import { deniedAnswers } from './denied'
import { policyFindings, webhookFindings } from './webhook-checks'
import { virtualAddresses, wiringFindings } from './wiring-checks'

export function known(
  cluster: string,
  view: FleetView,
): { readonly cluster: ClusterView } | { readonly finding: RawFinding } {
  const matchingCluster = clusterOf(view, cluster)
  if (!matchingCluster) return { finding: noCluster(cluster, view) }
  const [silent] = listing(matchingCluster, view)
  if (silent) return { finding: silent }
  return { cluster: matchingCluster }
}

function check(intent: ApplyIntent, view: FleetView): readonly RawFinding[] {
  const target = known(intent.cluster, view)
  if ('finding' in target) return [target.finding]
  const read = documentsOf(intent)
  const objects = read.documents.map(({ object }) => object)
  const findings: RawFinding[] = [...textFindings(read)]
  for (const { object, line } of read.documents) {
    const whole = wholeOf(object, intent, view)
    for (const wrong of invalidities({ ...whole, apiVersion: object.apiVersion }))
      findings.push({
        level: wrong.isCaution ? 'caution' : 'stop',
        rule: `invalid.${objectKey(object)}.${wrong.path}`,
        field: 'text',
        ...said('field-wrong', {
          objectText: objectText(object),
          line,
          path: wrong.path,
          wrong: wrong.says,
        }),
        because: [
          { ...said('document-line', { path: wrong.path, line }), source: 'the open API’s rules' },
        ],
      })
    findings.push(...servedFindings(object, line, target.cluster))
    if (!knownKinds.has(object.kind) && typeOfKind(object.apiVersion, object.kind) === null)
      findings.push({
        level: 'caution',
        rule: `kind.${objectKey(object)}`,
        field: 'text',
        ...said('no-kind-gyrarch', { kind: object.kind, apiVersion: object.apiVersion }),
        because: [{ ...quoted('api-version', object.apiVersion), source: 'the text' }],
      })
  }
  const changes = changesOf(intent, view)
  const written = changes
    .filter((change) => change.kind !== 'same')
    .map((change) => ({ object: change.object, isNew: change.kind === 'make' }))
  findings.push(
    ...immutableFindings(intent, changes, view),
    ...serviceFindings(intent, objects, target.cluster, view),
    ...capacityFindings(objects, target.cluster),
    ...limitFindings(intent, objects, target.cluster, view),
    ...conflictFindings(intent, changes, view),
    ...referenceFindings(intent, objects, target.cluster, view),
    ...allowanceFindings(intent, objects, target.cluster, view),
    ...wiringFindings(intent, objects, target.cluster, view),
    ...webhookFindings(written, target.cluster, view),
    ...policyFindings(written, target.cluster, view),
  )
  if (!findings.some((finding) => finding.level === 'stop'))
    findings.push(
      ...runFindings(intent, changes, target.cluster, view),
      ...wayChanges(intent, changes, view),
    )
  if (changes.length > 0 && changes.every((change) => change.kind === 'same'))
    findings.push({
      level: 'note',
      rule: 'nothing',
      field: 'text',
      ...said('nothing', { cluster: intent.cluster }),
      because: [
        {
          ...said('objects-compared-field', { changesCount: changes.length }),
          source: intent.cluster,
          at: target.cluster.observedAt,
        },
      ],
    })
  return findings
}

/** Whether an object’s pods are made anew, or more of them. */
const rolls = (change: ObjectChange): boolean =>
  rolling.has(change.object.kind) &&
  (change.kind === 'make' ||
    change.fields.some(
      (field) => field.path.startsWith('/spec/template/') || field.path === '/spec/replicas',
    ))

/** Whether its pods are its first, come in place of others, or are only more or fewer. */
function howRolled(change: ObjectChange): 'made' | 'made anew' | 'scaled' {
  if (change.kind === 'make') return 'made'
  return change.fields.some(({ path }) => path.startsWith('/spec/template/'))
    ? 'made anew'
    : 'scaled'
}

export const refOf = (cluster: string, object: WrittenObject): string =>
  ref(
    object.kind.toLowerCase(),
    cluster,
    ...(object.metadata.namespace === undefined ? [] : [object.metadata.namespace]),
    object.metadata.name,
  )

const replicasOf = (object: WrittenObject): number => {
  const spec = object['spec']
  const replicas =
    typeof spec === 'object' && spec !== null && 'replicas' in spec ? spec.replicas : undefined
  return typeof replicas === 'number' ? replicas : 1
}

/** The step that waits until a workload’s pods are what is meant. */
export function rolloutStep(
  cluster: string,
  object: {
    readonly kind: string
    readonly metadata: { readonly name: string; readonly namespace?: string }
  },
  replicas: number,
  after: readonly string[],
  how: 'made' | 'made anew' | 'scaled' = 'made anew',
): Step {
  const namespace = object.metadata.namespace ?? 'default'
  return step({
    id: `rollout:${object.kind}/${namespace}/${object.metadata.name}`,
    after,
    group: object.metadata.name,
    says: `${countText(replicas, 'pod')} ${how === 'scaled' ? '' : `${how} and `}ready`,
    command: command('rollout.await', {
      cluster,
      kind: object.kind,
      namespace,
      name: object.metadata.name,
    }),
    seconds: { likely: 25 + 20 * Math.max(1, replicas), worst: 90 + 60 * Math.max(1, replicas) },
    retry: { attempts: 1, firstSeconds: 10, mostSeconds: 10 },
  })
}

function plan(intent: ApplyIntent, view: FleetView): Plan {
  const changes = changesOf(intent, view).filter((change) => change.kind !== 'same')
  const force = changes.flatMap((change) =>
    change.conflicts
      .filter((field) => intent.resolve[conflictKey(change, field.path)] === 'take')
      .map((field) => conflictKey(change, field.path)),
  )
  const steps: Step[] = []
  if (changes.length > 0) {
    steps.push(
      step({
        id: 'apply',
        after: [],
        group: intent.cluster,
        says: `${countText(changes.length, 'object')} written, all or none`,
        command: command('objects.apply', {
          cluster: intent.cluster,
          manager: intent.manager,
          objects: changes.map((change) => change.object),
          force,
        }),
        undo: command('objects.put-back', {
          cluster: intent.cluster,
          before: { $from: 'apply', path: 'before' },
        }),
        seconds: { likely: 4, worst: 12 },
        retry: { attempts: 3, firstSeconds: 5, mostSeconds: 20 },
      }),
    )
    for (const change of changes.filter(rolls))
      steps.push(
        rolloutStep(
          intent.cluster,
          change.object,
          replicasOf(change.object),
          ['apply'],
          howRolled(change),
        ),
      )
  }
  return {
    steps,
    creates: changes
      .filter((change) => change.kind === 'make')
      .map((change) => refOf(intent.cluster, change.object)),
    alters: changes
      .filter((change) => change.kind === 'change')
      .map((change) => refOf(intent.cluster, change.object)),
    removes: [],
    ...longestPath(steps),
    spend: spendUnchanged(view, intent.cluster),
    reserves: promises(intent, changes, view),
  }
}

/** The addresses that services were told they would get: nobody else is told the same while the run lasts. */
function promises(
  intent: ApplyIntent,
  changes: readonly ObjectChange[],
  view: FleetView,
): Plan['reserves'] {
  const cluster = clusterOf(view, intent.cluster)
  if (!cluster) return []
  const objects = changes.map((change) => change.object)
  return [...virtualAddresses(intent, objects, cluster, view).values()].flatMap((address) =>
    address.ok ? [{ kind: 'address' as const, site: cluster.site, what: address.address }] : [],
  )
}

function prove(intent: ApplyIntent, view: FleetView): readonly Proof[] {
  return changesOf(intent, view).flatMap((change) => [
    asWritten(intent, change),
    ...claimProof(intent, change.object, view),
  ])
}

/** A claim is bound, or waits for its first pod as its class has it. */
function claimProof(intent: ApplyIntent, object: WrittenObject, view: FleetView): readonly Proof[] {
  if (object.kind !== 'PersistentVolumeClaim') return []
  const live = record(liveObjects(view, intent.cluster).get(objectKey(object)))
  const phase = record(live['status'])['phase']
  const className = record(live['spec'])['storageClassName']
  const storageClass = listedObjects(view, intent.cluster).find(
    (candidate) =>
      candidate.kind === 'StorageClass' &&
      (className === undefined
        ? record(record(candidate.metadata)['annotations'])[
            'storageclass.kubernetes.io/is-default-class'
          ] === 'true'
        : candidate.metadata?.name === className),
  )
  const waits = record(storageClass)['volumeBindingMode'] === 'WaitForFirstConsumer'
  let observed: string
  if (phase === 'Bound') observed = `bound to ${asText(record(live['spec'])['volumeName'])}`
  else if (storageClass === undefined) observed = 'pending: no class would bind it'
  else if (waits) observed = 'pending until its first pod is placed, as its class has it'
  else observed = 'pending'
  return [
    {
      says: `${objectText(object)} is bound, or will be with its first pod`,
      holds: phase === 'Bound' || waits,
      observed,
    },
  ]
}

function asWritten(intent: ApplyIntent, change: ObjectChange): Proof {
  let observed: string
  if (change.kind === 'make') observed = 'not there'
  else if (change.kind === 'same') observed = `${intent.cluster} lists every field of it`
  else
    observed = `differs at ${listText(
      change.fields.map((field) => fieldText(field.path)),
      3,
    )}`
  return {
    says: `${objectText(change.object)} is as written`,
    holds: change.kind === 'same',
    observed,
  }
}

export const manifestApply: ChangeKind<ApplyIntent> = {
  name: 'manifest.apply',
  title: 'Apply manifests',
  intent: applyIntent,
  needs: (intent) => [
    `cluster:${intent.cluster}`,
    `objects:${intent.cluster}`,
    'registries',
    'published',
    'spaces',
    // What decides who reaches whom is walked before and after.
    ...(mayDecideWays(intent) ? [`walks:cluster/${intent.cluster}` as const] : []),
  ],
  subjects: (intent) =>
    documentsOf(intent).documents.map(({ object }) => refOf(intent.cluster, object)),
  guardedBy: (intent, view) => guardedCluster(intent.cluster, view),
  label: (intent) => {
    const { documents } = documentsOf(intent)
    const first = documents[0]
    return `apply ${documents.length === 1 && first ? objectText(first.object) : countText(documents.length, 'object')} to ${intent.cluster || 'a cluster'}`
  },
  check,
  plan,
  prove,
  after: (intent, view) => viewAfter(intent, changesOf(intent, view), view),
  answeredBy: (failure) => (failure.reason === 'image-denied' ? ['denied'] : []),
  answers: deniedAnswers,
}

export { known as writableCluster }
