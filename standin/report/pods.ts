/** Pods as a cluster’s API lists them. */

import { isoTime } from '../../core/units'
import { ownClaims } from '../cluster/claims'
import type { Cluster, Pod, Workload } from '../cluster-state'
import {
  hashNow,
  text,
  isReadyPod,
  imageParts,
  templateOf,
  record,
  podLabels,
  list,
  manifestOf,
} from '../cluster/manifests'
import { withOwners } from './written'

/** Pods of what came with the platform are its own: their priority is above that of all others. */
export const platformPriority = 1000000
export interface Owner {
  readonly apiVersion: string
  readonly kind: string
  readonly name: string
}

/** What stands between a pod and its workload: a replica set for a deployment, else the workload itself. */
export function ownerOf(pod: Pod, workload: Workload): Owner {
  if (workload.kind === 'Deployment') {
    const hash = pod.hash ?? hashNow(workload)
    return { apiVersion: 'apps/v1', kind: 'ReplicaSet', name: `${workload.name}-${hash}` }
  }
  const apiVersion = workload.kind === 'Job' ? 'batch/v1' : 'apps/v1'
  return { apiVersion, kind: workload.kind, name: workload.name }
}

/** Pods of daemon sets are for one node and tolerate everything. */
export const onNodeAlone = (node: string) => ({
  affinity: {
    nodeAffinity: {
      requiredDuringSchedulingIgnoredDuringExecution: {
        nodeSelectorTerms: [
          { matchFields: [{ key: 'metadata.name', operator: 'In', values: [node] }] },
        ],
      },
    },
  },
  tolerations: [{ operator: 'Exists' }],
})

export function containerState(pod: Pod): Record<string, unknown> {
  if (pod.trouble) return { waiting: { ...pod.trouble } }
  if (pod.startedAt === null) return { waiting: { reason: 'ContainerCreating' } }
  if (pod.phase === 'Succeeded') return { terminated: { exitCode: 0, reason: 'Completed' } }
  return { running: { startedAt: isoTime(pod.startedAt) } }
}

/** The digest that an image stands for where its pod runs. */
export type Digests = (image: string) => string

export function containerStatus(
  pod: Pod,
  container: Record<string, unknown>,
  digests: Digests,
): Record<string, unknown> {
  const image = text(container['image'])
  const digest = pod.pulled?.[image] ?? digests(image)
  return {
    name: text(container['name']),
    image,
    imageID: pod.startedAt === null ? '' : `${imageParts(image).repository}@${digest}`,
    ready: isReadyPod(pod),
    restartCount: pod.restarts ?? 0,
    state: containerState(pod),
    ...(pod.last
      ? {
          lastState: {
            terminated: {
              reason: pod.last.reason,
              exitCode: pod.last.exitCode,
              finishedAt: isoTime(pod.last.at),
            },
          },
        }
      : {}),
  }
}

/** A pod that runs longer than its record says was started with its node. */
export const startTime = (pod: Pod, startedAt: number): string =>
  isoTime(pod.createdAt < startedAt - 600000 ? startedAt - 14000 : pod.createdAt)
export function podStatus(
  pod: Pod,
  cluster: Cluster,
  containers: readonly Record<string, unknown>[],
  digests: Digests,
): Record<string, unknown> {
  const node = cluster.nodes.find((node) => node.name === pod.node)
  const { startedAt } = pod
  return {
    phase: pod.phase,
    ...(pod.ip === null ? {} : { podIP: pod.ip }),
    ...(node ? { hostIP: node.address } : {}),
    ...(startedAt === null ? {} : { startTime: startTime(pod, startedAt) }),
    conditions: [
      {
        type: 'PodScheduled',
        status: pod.node === null ? 'False' : 'True',
        ...(pod.waits === null ? {} : { reason: 'Unschedulable', message: pod.waits }),
      },
      {
        type: 'Ready',
        status: isReadyPod(pod) ? 'True' : 'False',
        ...(startedAt === null ? {} : { lastTransitionTime: isoTime(startedAt) }),
      },
    ],
    ...(pod.node === null
      ? {}
      : {
          containerStatuses: containers.map((container) =>
            containerStatus(pod, container, digests),
          ),
        }),
  }
}

function podMetadata(
  pod: Pod,
  cluster: Cluster,
  workload: Workload | undefined,
): Record<string, unknown> {
  if (workload?.kind === 'Pod')
    return record(withOwners(cluster, manifestOf(workload), workload.createdAt)['metadata'])
  return {
    name: pod.name,
    namespace: pod.namespace,
    labels: podLabels(workload, pod),
    creationTimestamp: isoTime(pod.createdAt),
    ...(workload ? { ownerReferences: [{ ...ownerOf(pod, workload), controller: true }] } : {}),
  }
}

export function podObject(
  pod: Pod,
  cluster: Cluster,
  workload: Workload | undefined,
  digests: Digests,
): Record<string, unknown> {
  const template = workload ? templateOf(workload, pod.hash) : {}
  const spec = record(template['spec'])
  const own = workload?.kind === 'StatefulSet' ? ownClaims(workload, pod) : []
  const daemonOn = workload?.kind === 'DaemonSet' ? (pod.node ?? pod.wants ?? null) : null
  return {
    apiVersion: 'v1',
    kind: 'Pod',
    metadata: podMetadata(pod, cluster, workload),
    spec: {
      ...(pod.node === null ? {} : { nodeName: pod.node }),
      ...(pod.namespace === 'platform' ? { priority: platformPriority } : {}),
      ...spec,
      ...(own.length === 0
        ? {}
        : {
            volumes: [
              ...list(spec['volumes']),
              ...own.map(({ volume, claim }) => ({
                name: volume,
                persistentVolumeClaim: { claimName: claim },
              })),
            ],
          }),
      ...(daemonOn === null ? {} : onNodeAlone(daemonOn)),
      serviceAccountName: text(spec['serviceAccountName']) || 'default',
    },
    status: podStatus(pod, cluster, list(spec['containers']).map(record), digests),
  }
}
