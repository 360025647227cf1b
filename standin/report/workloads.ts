/** Workloads and their replica sets as a cluster’s API lists them. */

import { isoTime } from '../../core/units'
import type { Workload, Pod, Cluster } from '../cluster-state'
import {
  currentTemplate,
  hashNow,
  podLabels,
  isReadyPod,
  isCurrent,
  podsOf,
  manifestOf,
} from '../cluster/manifests'
import { withOwners } from './written'

/** The replica sets of a deployment, one for each revision that is kept. */
export function replicaSets(
  workload: Workload,
  pods: readonly Pod[],
): readonly Record<string, unknown>[] {
  const template = currentTemplate(workload)
  const first = { number: 1, hash: hashNow(workload), template, at: workload.createdAt }
  const revisions = workload.revisions ?? [first]
  const newest = revisions.at(-1)?.hash
  return revisions.map((revision) => {
    const labels = {
      ...podLabels(workload, { hash: revision.hash, workload: workload.name }),
      'pod-template-hash': revision.hash,
    }
    const own = pods.filter((pod) => (pod.hash ?? newest) === revision.hash)
    const owner = { apiVersion: 'apps/v1', kind: 'Deployment', name: workload.name }
    return {
      apiVersion: 'apps/v1',
      kind: 'ReplicaSet',
      metadata: {
        name: `${workload.name}-${revision.hash}`,
        namespace: workload.namespace,
        labels,
        annotations: { 'deployment.kubernetes.io/revision': String(revision.number) },
        creationTimestamp: isoTime(revision.at),
        ownerReferences: [{ ...owner, controller: true }],
      },
      spec: {
        replicas: revision.hash === newest ? workload.replicas : own.length,
        selector: { matchLabels: labels },
        template: revision.template,
      },
      status: { replicas: own.length, readyReplicas: own.filter(isReadyPod).length },
    }
  })
}

const podsRefused = (workload: Workload) => ({
  type: 'ReplicaFailure',
  status: 'True',
  reason: 'FailedCreate',
  message: workload.refused,
})

export function workloadStatus(workload: Workload, pods: readonly Pod[]): Record<string, unknown> {
  const ready = pods.filter(isReadyPod).length
  const current = pods.filter((pod) => isCurrent(workload, pod)).length
  switch (workload.kind) {
    case 'CronJob':
      return {}
    case 'Job':
      return {
        active: pods.filter((pod) => pod.phase !== 'Succeeded').length,
        succeeded: workload.completed ?? 0,
        ...(workload.endedAt === undefined ? {} : { completionTime: isoTime(workload.endedAt) }),
      }
    case 'DaemonSet':
      return {
        desiredNumberScheduled: pods.length,
        numberReady: ready,
        updatedNumberScheduled: current,
      }
    case 'StatefulSet':
      return {
        replicas: pods.length,
        readyReplicas: ready,
        updatedReplicas: current,
        updateRevision: `${workload.name}-${hashNow(workload)}`,
      }
    case 'Pod':
      return {}
    case 'ReplicaSet':
      return {
        replicas: pods.length,
        fullyLabeledReplicas: pods.length,
        readyReplicas: ready,
        availableReplicas: ready,
        ...(workload.refused === undefined ? {} : { conditions: [podsRefused(workload)] }),
      }
    case 'Deployment':
      return {
        replicas: pods.length,
        updatedReplicas: current,
        readyReplicas: ready,
        availableReplicas: ready,
        unavailableReplicas: Math.max(0, workload.replicas - ready),
        ...(workload.refused === undefined ? {} : { conditions: [podsRefused(workload)] }),
      }
  }
}

export const workloadObjects = (cluster: Cluster): readonly Record<string, unknown>[] =>
  cluster.workloads.flatMap((workload) => {
    // Told as the pod that it is.
    if (workload.kind === 'Pod') return []
    const pods = podsOf(cluster, workload)
    const object = withOwners(cluster, manifestOf(workload), workload.createdAt)
    const sets = workload.kind === 'Deployment' ? replicaSets(workload, pods) : []
    return [{ ...object, status: workloadStatus(workload, pods) }, ...sets]
  })
