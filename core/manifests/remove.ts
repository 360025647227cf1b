/** The change kind `manifest.remove`: objects are removed from a cluster. */
import { guardedCluster } from '../changes'
import { z } from 'zod'
import type { WrittenObject } from './parse'
import { isClusterWide, objectText, objectKey } from './parse'
import type { ApiObject } from '../objects'
import type { ChangeKind, RawFinding } from '../changes'
import { stop, longestPath } from '../changes'
import { command } from '../contract'
import { step } from '../provisioning'
import { spendUnchanged } from '../spend'
import { countText } from '../units'
import { refOf, known } from './apply'
import { liveObjects } from './apply-intent'
import { said } from './says'

export const removeIntent = z.strictObject({
  cluster: z.string().max(253),
  objects: z
    .array(
      z.strictObject({
        apiVersion: z.string().max(200).default('v1'),
        kind: z.string().min(1).max(100),
        namespace: z.string().max(63).optional(),
        name: z.string().min(1).max(253),
      }),
    )
    .min(1, 'Name at least one object.')
    .max(500),
})

export type RemoveIntent = z.infer<typeof removeIntent>
export const writtenOf = (entry: RemoveIntent['objects'][number]): WrittenObject => ({
  apiVersion: entry.apiVersion,
  kind: entry.kind,
  metadata: {
    name: entry.name,
    ...(isClusterWide(entry.kind) ? {} : { namespace: entry.namespace ?? 'default' }),
  },
})

/** What goes along with an object: pods of a workload, everything in a namespace. */
export function goesAlong(
  object: WrittenObject,
  live: ReadonlyMap<string, ApiObject>,
): readonly ApiObject[] {
  const all = [...live.values()]
  if (object.kind === 'Namespace')
    return all.filter((otherObject) => otherObject.metadata?.namespace === object.metadata.name)
  const owned = (kind: string, name: string): readonly ApiObject[] =>
    all.filter(
      (otherObject) =>
        otherObject.metadata?.namespace === object.metadata.namespace &&
        (
          (otherObject.metadata as { ownerReferences?: readonly { kind: string; name: string }[] })
            .ownerReferences ?? []
        ).some((owner) => owner.kind === kind && owner.name === name),
    )
  const direct = owned(object.kind, object.metadata.name)
  return direct.flatMap((eachObject) => [
    eachObject,
    ...(eachObject.kind === 'ReplicaSet'
      ? owned('ReplicaSet', eachObject.metadata?.name ?? '')
      : []),
  ])
}

export const manifestRemove: ChangeKind<RemoveIntent> = {
  name: 'manifest.remove',
  title: 'Remove objects',
  intent: removeIntent,
  needs: (intent) => [`cluster:${intent.cluster}`, `objects:${intent.cluster}`],
  subjects: (intent) => intent.objects.map((object) => refOf(intent.cluster, writtenOf(object))),
  guardedBy: (intent, view) => guardedCluster(intent.cluster, view),
  label: (intent) =>
    `remove ${intent.objects.length === 1 ? objectText(writtenOf(intent.objects[0] ?? { apiVersion: 'v1', kind: 'Object', name: '' })) : countText(intent.objects.length, 'object')} from ${intent.cluster || 'a cluster'}`,
  check: (intent, view) => {
    const target = known(intent.cluster, view)
    if ('finding' in target) return [target.finding]
    const live = liveObjects(view, intent.cluster)
    return intent.objects.flatMap((eachObject, i): readonly RawFinding[] => {
      const object = writtenOf(eachObject)
      if (!live.has(objectKey(object)))
        return [
          stop(
            `object.known.${i}`,
            `objects[${i}].name`,
            said('object-missing', { cluster: intent.cluster, objectText: objectText(object) }),
            [
              {
                ...said('objects-listed', { size: live.size }),
                source: intent.cluster,
                at: target.cluster.observedAt,
              },
            ],
          ),
        ]
      const along = goesAlong(object, live)
      const pods = along.filter((otherObject) => otherObject.kind === 'Pod').length
      const findings: RawFinding[] = []
      if (
        object.kind === 'Namespace' &&
        ['default', 'platform', 'kube-system'].includes(object.metadata.name)
      )
        findings.push(
          stop(
            `object.platform.${i}`,
            `objects[${i}].name`,
            said('holds-what-cluster', { name: object.metadata.name }),
          ),
        )
      else if (along.length > 0)
        findings.push({
          level: 'caution',
          rule: `along.${i}`,
          field: `objects[${i}]`,
          ...said('removed-along', {
            objectText: objectText(object),
            alongCount: along.length,
            pods,
          }),
          because: [
            {
              ...said('objects-along', {
                objects: along.map(
                  (otherObject) => `${otherObject.kind} ${otherObject.metadata?.name ?? ''}`,
                ),
              }),
              source: intent.cluster,
              at: target.cluster.observedAt,
            },
          ],
        })
      return findings
    })
  },
  plan: (intent, view) => {
    const steps = [
      step({
        id: 'remove',
        after: [],
        group: intent.cluster,
        says: `${countText(intent.objects.length, 'object')} removed`,
        command: command('objects.remove', {
          cluster: intent.cluster,
          objects: intent.objects.map(writtenOf),
        }),
        undo: command('objects.put-back', {
          cluster: intent.cluster,
          before: { $from: 'remove', path: 'before' },
        }),
        seconds: { likely: 4, worst: 12 },
        retry: { attempts: 3, firstSeconds: 5, mostSeconds: 20 },
      }),
    ]
    return {
      steps,
      creates: [],
      alters: [],
      removes: intent.objects.map((object) => refOf(intent.cluster, writtenOf(object))),
      ...longestPath(steps),
      spend: spendUnchanged(view, intent.cluster),
      reserves: [],
    }
  },
  prove: (intent, view) => {
    const live = liveObjects(view, intent.cluster)
    return intent.objects.map((eachObject) => {
      const object = writtenOf(eachObject)
      const gone = !live.has(objectKey(object))
      return {
        says: `${objectText(object)} is gone`,
        holds: gone,
        observed: gone ? 'not listed any more' : 'still listed',
      }
    })
  },
}
