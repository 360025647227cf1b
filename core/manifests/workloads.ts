/** A workload’s pods made anew, and a workload taken back to an earlier revision: `workload.restart`, `workload.undo`. */
import { guardedCluster } from '../changes'
import { type Json, record } from '../objects'
import { command } from '../contract'
import { z } from 'zod'
import { type ChangeKind, longestPath, type RawFinding, ref } from '../changes'
import { clusterOf, listedObjects, type FleetView } from '../fleet'
import { fieldsOf, type ApiObject } from '../objects'
import { step } from '../provisioning/steps'
import { spendUnchanged } from '../spend'
import { rolloutStep, writableCluster } from './apply'
import { liveObjects } from './apply-intent'
import { ownManager } from './apply-intent'
import { objectKey, writtenForm } from './parse'
import { placingFindings } from './place-checks'
import { deniedFindings } from './supply-checks'
import { wantedBy } from './wanted-pods'
import { said } from './says'

const rolling = z.enum(['Deployment', 'StatefulSet', 'DaemonSet'])
const workload = {
  cluster: z.string().max(253),
  kind: rolling,
  namespace: z.string().max(63),
  name: z.string().max(253),
}

export const restartIntent = z.strictObject(workload)
export type RestartIntent = z.infer<typeof restartIntent>
export const undoIntent = z.strictObject({
  ...workload,
  kind: z.literal('Deployment').default('Deployment'),
  revision: z.int().min(1).optional(),
})

export type UndoIntent = z.infer<typeof undoIntent>

const liveOf = (intent: RestartIntent | UndoIntent, view: FleetView): ApiObject | undefined =>
  liveObjects(view, intent.cluster).get(
    objectKey({ kind: intent.kind, metadata: { name: intent.name, namespace: intent.namespace } }),
  )

const specOf = (object: ApiObject | undefined): Json =>
  record((object as Json | undefined)?.['spec'])
const replicasOf = (object: ApiObject | undefined): number => {
  const wanted = specOf(object)['replicas']
  const daemon = record((object as Json | undefined)?.['status'])['desiredNumberScheduled']
  if (typeof wanted === 'number') return wanted
  if (typeof daemon === 'number') return daemon
  return 1
}

const refOf = (intent: RestartIntent | UndoIntent): string =>
  ref(intent.kind.toLowerCase(), intent.cluster, intent.namespace, intent.name)

function found(intent: RestartIntent | UndoIntent, view: FleetView): readonly RawFinding[] {
  const target = writableCluster(intent.cluster, view)
  if ('finding' in target) return [target.finding]
  if (liveOf(intent, view)) return []
  return [
    {
      level: 'stop',
      rule: 'workload.known',
      field: 'name',
      ...said('workload.known', {
        cluster: intent.cluster,
        kind: intent.kind,
        namespace: intent.namespace,
        name: intent.name,
      }),
      because: [{ ...said('not-listed'), source: intent.cluster, at: target.cluster.observedAt }],
    },
  ]
}

const identity = (intent: RestartIntent | UndoIntent) => ({
  kind: intent.kind,
  metadata: { name: intent.name, namespace: intent.namespace },
})

export const workloadRestart: ChangeKind<RestartIntent> = {
  name: 'workload.restart',
  title: 'Make a workload’s pods anew',
  intent: restartIntent,
  needs: (intent) => [`cluster:${intent.cluster}`, `objects:${intent.cluster}`, 'registries'],
  subjects: (intent) => [refOf(intent)],
  guardedBy: (intent, view) => guardedCluster(intent.cluster, view),
  answeredBy: (failure) => (failure.reason === 'image-denied' ? ['denied'] : []),
  label: (intent) => `restart ${intent.name || 'a workload'} of ${intent.cluster}`,
  check: (intent, view) => {
    const wrong = found(intent, view)
    const live = liveOf(intent, view)
    return wrong.length > 0 || !live ? wrong : anewFindings(intent, live, view)
  },
  plan: (intent, view) => {
    const { cluster, kind, namespace, name } = intent
    const steps = [
      step({
        id: 'restart',
        after: [],
        group: name,
        says: 'a new revision of the same template',
        command: command('workload.restart', { cluster, kind, namespace, name }),
        final: true,
        seconds: { likely: 3, worst: 8 },
      }),
      rolloutStep(cluster, identity(intent), replicasOf(liveOf(intent, view)), ['restart']),
    ]
    return {
      steps,
      creates: [],
      alters: [refOf(intent)],
      removes: [],
      ...longestPath(steps),
      spend: spendUnchanged(view, cluster),
      reserves: [],
    }
  },
  prove: (intent, view) => [ready(intent, view)],
}

/** Where the pods of a workload find no place once they are made anew, and which of their images they are denied. */
function anewFindings(
  intent: RestartIntent | UndoIntent,
  live: ApiObject,
  view: FleetView,
): readonly RawFinding[] {
  const object = writtenForm(live)
  const cluster = clusterOf(view, intent.cluster)
  const wanted = object && wantedBy(object, null, listedObjects(view, intent.cluster), [])
  if (!cluster || !object || !wanted) return []
  return [
    ...placingFindings({ text: '' }, [wanted], [], cluster, view, 'name'),
    ...deniedFindings([object], cluster, view, 'name'),
  ]
}

function ready(intent: RestartIntent | UndoIntent, view: FleetView) {
  const status = record((liveOf(intent, view) as Json | undefined)?.['status'])
  const count = status['readyReplicas'] ?? status['numberReady']
  const wanted = replicasOf(liveOf(intent, view))
  return {
    says: `all pods of ${intent.name} are ready`,
    holds: count === wanted,
    observed: `${String(count)} of ${wanted} ready`,
  }
}

export interface RevisionFact {
  readonly number: number
  readonly name: string
  readonly template: Json
  readonly image: string
  readonly pods: number
}

/** What a Deployment’s pods have been made from, oldest first. */
export function revisionsOf(
  intent: { readonly cluster: string; readonly namespace: string; readonly name: string },
  view: FleetView,
): readonly RevisionFact[] {
  return [...liveObjects(view, intent.cluster).values()]
    .filter(
      (object) =>
        object.kind === 'ReplicaSet' &&
        object.metadata?.namespace === intent.namespace &&
        (
          (object.metadata as { ownerReferences?: readonly { kind: string; name: string }[] })
            .ownerReferences ?? []
        ).some((owner) => owner.kind === 'Deployment' && owner.name === intent.name),
    )
    .map((object): RevisionFact => {
      const template = record(specOf(object)['template'])
      const containers = record(template['spec'])['containers']
      return {
        number: Number(
          record((object.metadata as Json)['annotations'])['deployment.kubernetes.io/revision'] ??
            0,
        ),
        name: object.metadata?.name ?? '',
        template,
        image: String(record((Array.isArray(containers) ? containers : [])[0])['image'] ?? ''),
        pods: Number(record(object['status'])['replicas'] ?? 0),
      }
    })
    .sort((a, b) => a.number - b.number)
}

/** The revision an undo goes to: the one asked for, else the one before the newest. */
const target = (intent: UndoIntent, view: FleetView): RevisionFact | undefined => {
  const all = revisionsOf(intent, view)
  return intent.revision === undefined
    ? all[all.length - 2]
    : all.find((revisionFact) => revisionFact.number === intent.revision)
}

export const workloadUndo: ChangeKind<UndoIntent> = {
  name: 'workload.undo',
  title: 'Go back to an earlier revision',
  intent: undoIntent,
  needs: (intent) => [`cluster:${intent.cluster}`, `objects:${intent.cluster}`, 'registries'],
  subjects: (intent) => [refOf(intent)],
  guardedBy: (intent, view) => guardedCluster(intent.cluster, view),
  label: (intent) =>
    `take ${intent.name || 'a workload'} of ${intent.cluster} back${intent.revision === undefined ? '' : ` to revision ${intent.revision}`}`,
  check: (intent, view) => {
    const wrong = found(intent, view)
    if (wrong.length > 0) return wrong
    const all = revisionsOf(intent, view)
    const revision = target(intent, view)
    const live = liveOf(intent, view)
    if (revision && live)
      return anewFindings(
        intent,
        Object.assign({}, live, { spec: { ...specOf(live), template: revision.template } }),
        view,
      )
    return [
      {
        level: 'stop',
        rule: 'revision.known',
        field: 'revision',
        ...(intent.revision === undefined
          ? said('revision.known.only-ever-one', { name: intent.name })
          : said('revision.known.no-revision', { name: intent.name, revision: intent.revision })),
        because: [
          {
            ...said('revisions', {
              all: all.map((revisionFact) => `${revisionFact.number} (${revisionFact.image})`),
            }),
            source: intent.cluster,
          },
        ],
      },
    ]
  },
  plan: (intent, view) => {
    const revision = target(intent, view)
    const { cluster, kind, namespace, name } = intent
    const object = {
      apiVersion: 'apps/v1',
      kind,
      metadata: { name, namespace },
      spec: { template: revision?.template ?? {} },
    }
    const live = liveOf(intent, view)
    const force =
      Object.keys(record(revision?.template)).length === 0 ? [] : undoForce(intent, object)
    const steps = [
      step({
        id: 'apply',
        after: [],
        group: name,
        says: `template of revision ${revision?.number ?? ''}: ${revision?.image ?? ''}`,
        command: command('objects.apply', {
          cluster,
          manager: ownManager,
          objects: [object],
          force,
        }),
        undo: command('objects.put-back', { cluster, before: { $from: 'apply', path: 'before' } }),
        seconds: { likely: 4, worst: 12 },
      }),
      rolloutStep(cluster, identity(intent), replicasOf(live), ['apply']),
    ]
    return {
      steps,
      creates: [],
      alters: [refOf(intent)],
      removes: [],
      ...longestPath(steps),
      spend: spendUnchanged(view, cluster),
      reserves: [],
    }
  },
  prove: (intent, view) => [ready(intent, view)],
}

/** Going back is meant to undo whoever wrote the template last: all of its fields are taken. */
function undoForce(intent: UndoIntent, object: { readonly spec: unknown }): readonly string[] {
  const key = objectKey({
    kind: intent.kind,
    metadata: { name: intent.name, namespace: intent.namespace },
  })
  return [...fieldsOf({ spec: object.spec }).keys()].map((path) => `${key} ${path}`)
}
