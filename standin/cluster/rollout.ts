/** Roll-outs: awaited, and started by a restart. */

import { quoted } from '../../core/contract'
import type { Failure as OperationFailure } from '../../core/contract'
import { withFields } from '../../core/objects'
import type { Cluster, Pod, Workload } from '../cluster-state'
import type { Behaviour } from '../engine/sim'
import { permanent } from '../failures'
import { answering } from './api'
import { record as fields, podsOf, isReadyPod, isCurrent, manifestOf } from './manifests'
import { settle } from './objects'
import { podKey } from './pod-events'
import { store } from './stored'
import { said } from './says'

export const deadlineMs = (workload: Workload): number =>
  Number(fields(workload.manifest?.['spec'])['progressDeadlineSeconds'] ?? 600) * 1000
/** Whether every pod is of the template meant now, and ready. */
export function isRolledOut(cluster: Cluster, workload: Workload): boolean {
  const pods = podsOf(cluster, workload)
  if (workload.kind === 'CronJob') return true
  if (workload.kind === 'Job')
    return (
      (workload.completed ?? 0) >= Number(fields(workload.manifest?.['spec'])['completions'] ?? 1)
    )
  const wanted = workload.kind === 'DaemonSet' ? pods.length : workload.replicas
  return pods.length === wanted && pods.every((pod) => isCurrent(workload, pod) && isReadyPod(pod))
}

export const podState = (pod: Pod): string =>
  pod.trouble?.reason ?? pod.waits ?? (isReadyPod(pod) ? 'ready' : 'starting')
export function stuck(cluster: Cluster, workload: Workload): OperationFailure {
  const pods = podsOf(cluster, workload).filter(
    (pod) => isCurrent(workload, pod) && !isReadyPod(pod),
  )
  const pod = pods[0]
  const ref = `${workload.kind.toLowerCase()}/${cluster.name}/${workload.namespace}/${workload.name}`
  const ready = podsOf(cluster, workload).filter(isReadyPod).length
  const whole = {
    about: ref,
    ...said('ready-no-progress', {
      ready,
      replicas: workload.replicas,
      deadlineSeconds: deadlineMs(workload) / 1000,
    }),
  }
  if (pod?.trouble)
    return permanent(
      pod.trouble.denied === undefined ? 'image-not-pulled' : 'image-denied',
      said('image-not-pulled', { workload: workload.name, message: pod.trouble.message }),
      {
        about: `image/${cluster.name}/${workload.image}`,
        ...quoted('pull-refused', pod.trouble.message),
      },
      { about: `pod/${cluster.name}/${podKey(pod)}`, ...quoted('pod-trouble', pod.trouble.reason) },
      whole,
    )
  if (pod?.node === null)
    return permanent(
      'pods-pending',
      said('pods-pending.does-not-roll', { workload: workload.name, pod: podKey(pod) }),
      {
        about: `pod/${cluster.name}/${podKey(pod)}`,
        ...quoted('pod-waits', pod.waits ?? 'pending'),
      },
      whole,
    )
  return permanent(
    'rollout-stalled',
    said('rollout-stalled', { workload: workload.name }),
    ...(pod
      ? [{ about: `pod/${cluster.name}/${podKey(pod)}`, ...quoted('pod-state', podState(pod)) }]
      : []),
    whole,
  )
}

const workloadNamed = (
  cluster: Cluster,
  named: Readonly<Record<'kind' | 'namespace' | 'name', string>>,
): Workload | undefined =>
  cluster.workloads.find(
    ({ kind, namespace, name }) =>
      kind === named.kind && namespace === named.namespace && name === named.name,
  )

/** Waits until a workload’s pods are all of its newest template and ready; gives up at its progress deadline. */
export const rolloutAwait: Behaviour<'rollout.await'> = {
  stages: [
    {
      seconds: 4,
      then: (sim, op) => {
        const cluster = answering(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        const workload = workloadNamed(cluster, op.args)
        if (!workload)
          return permanent(
            'workload-gone',
            said('workload-gone.there-no-any', { kind: op.args.kind, name: op.args.name }),
          )
        if (isRolledOut(cluster, workload))
          return workload.kind === 'CronJob'
            ? said('scheduled')
            : said('pods-ready', { podsCount: podsOf(cluster, workload).length })
        const since = Math.max(workload.progressedAt ?? 0, op.startedAt)
        if (
          sim.now - since >
          (op.args.deadlineSeconds > 0 ? op.args.deadlineSeconds * 1000 : deadlineMs(workload))
        )
          return stuck(cluster, workload)
        return { again: 5 }
      },
    },
  ],
  result: (sim, op) => {
    const cluster = sim.cluster(op.args.cluster)
    const workload = cluster && workloadNamed(cluster, op.args)
    return { ready: cluster && workload ? podsOf(cluster, workload).filter(isReadyPod).length : 0 }
  },
}

/** Makes a workload’s pods anew, a few at a time: its template is stamped, which is a new revision. */
export const workloadRestart: Behaviour<'workload.restart'> = {
  stages: [
    {
      seconds: 2,
      then: (sim, op) => {
        const cluster = answering(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        const workload = workloadNamed(cluster, op.args)
        if (!workload)
          return permanent(
            'workload-gone',
            said('workload-gone.there-no', { kind: op.args.kind, name: op.args.name }),
          )
        const stamped = withFields(
          manifestOf(workload),
          [],
          [
            [
              '/spec/template/metadata/annotations/gyrarch~1restarted-at',
              new Date(sim.now).toISOString(),
            ],
          ],
        )
        store(sim, cluster, stamped)
        settle(sim, cluster, [stamped])
        return said('new-revision-same')
      },
    },
  ],
}
