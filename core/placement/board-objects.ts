/** The part of objects that a board is made of. */

import type { Json } from '../objects'
import { record } from '../objects'
import type { BoardObject } from './what-if'

export const boardKinds = new Set([
  'Node',
  'Pod',
  'Namespace',
  'PriorityClass',
  'PodDisruptionBudget',
  'PersistentVolume',
  'PersistentVolumeClaim',
  'StorageClass',
  'CSINode',
  'Deployment',
  'ReplicaSet',
  'StatefulSet',
  'Job',
])

export const pick = (from: Json, names: readonly string[]): Json =>
  Object.fromEntries(
    names.flatMap((name) => (from[name] === undefined ? [] : [[name, from[name]]])),
  )

const podFields = [
  'nodeName',
  'schedulerName',
  'priority',
  'priorityClassName',
  'preemptionPolicy',
  'hostNetwork',
  'overhead',
  'resources',
  'nodeSelector',
  'affinity',
  'tolerations',
  'topologySpreadConstraints',
  'schedulingGates',
]

const volumeFields = ['name', 'persistentVolumeClaim', 'ephemeral', 'emptyDir', 'hostPath']

/** Those that say where a pod may stand, or what it leaves behind: not the files that are mounted into it. */
const boundVolumes = (volumes: readonly unknown[]): readonly Json[] =>
  volumes
    .map((volume) => pick(record(volume), volumeFields))
    .filter((volume) => Object.keys(volume).some((field) => field !== 'name'))

/** What placement reads of a cluster’s objects, and nothing else: small enough to be sent to a browser. */
export function boardObjects(
  objects: readonly Pick<BoardObject, 'kind' | 'metadata'>[],
): readonly BoardObject[] {
  return objects
    .filter((object) => boardKinds.has(object.kind))
    .map((object): BoardObject => {
      const metadata = pick(record(object.metadata), [
        'name',
        'namespace',
        'labels',
        'creationTimestamp',
        'deletionTimestamp',
        'ownerReferences',
        ...(object.kind === 'StorageClass' ? ['annotations'] : []),
      ])
      const fields = record(object)
      const spec = record(fields['spec'])
      const status = record(fields['status'])
      if (object.kind === 'Pod') {
        const containers = (list: unknown): unknown =>
          Array.isArray(list)
            ? list.map((entry) =>
                pick(record(entry), ['name', 'resources', 'ports', 'restartPolicy']),
              )
            : list
        const conditions = Array.isArray(status['conditions'])
          ? status['conditions'].filter((entry) => record(entry)['type'] === 'Ready')
          : []
        return {
          kind: 'Pod',
          metadata,
          spec: {
            ...pick(spec, podFields),
            containers: containers(spec['containers']),
            ...(spec['initContainers'] === undefined
              ? {}
              : { initContainers: containers(spec['initContainers']) }),
            ...(Array.isArray(spec['volumes']) ? { volumes: boundVolumes(spec['volumes']) } : {}),
          },
          status: {
            ...pick(status, ['phase', 'startTime']),
            ...(conditions.length === 0 ? {} : { conditions }),
          },
        }
      }
      if (object.kind === 'Node')
        return {
          kind: 'Node',
          metadata,
          spec: pick(spec, ['unschedulable', 'taints']),
          status: pick(status, ['allocatable', 'capacity']),
        }
      if (['Deployment', 'ReplicaSet', 'StatefulSet', 'Job'].includes(object.kind))
        return { kind: object.kind, metadata, spec: pick(spec, ['replicas']) }
      return { ...fields, kind: object.kind, metadata }
    })
}
