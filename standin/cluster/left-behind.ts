/** What controllers made, without them: replica sets of deployments, and pods that stay when their controller goes. */
import type { Sim } from '../engine/sim'
import type { Cluster, Manifest, Pod, Workload } from '../world'
import { fillWorkload } from './controllers'
import {
  hashNow,
  isPodOf,
  jobsOf,
  podLabels,
  podsOf,
  record,
  templateOf,
  workloadFrom,
} from './manifests'
import { loads } from './placing'
import { removePod } from './pods'
import { workloadFor } from './stored'

/** A deployment’s replica set: the pods of one of its templates. */
interface Revised {
  readonly deployment: Workload
  readonly hash: string
}

const hashesOf = (deployment: Workload): readonly string[] =>
  deployment.revisions?.map(({ hash }) => hash) ?? [hashNow(deployment)]

/** The deployment’s replica set of a name; undefined where no deployment has made it. */
export function revisionBehind(
  cluster: Cluster,
  { metadata: { namespace, name } }: Manifest,
): Revised | undefined {
  for (const deployment of cluster.workloads) {
    if (deployment.kind !== 'Deployment' || deployment.namespace !== namespace) continue
    if (!name.startsWith(`${deployment.name}-`)) continue
    const hash = hashesOf(deployment).find((each) => name === `${deployment.name}-${each}`)
    if (hash !== undefined) return { deployment, hash }
  }
  return undefined
}

/** A deployment’s replica set is taken away: an old one for good, the newest is made again. */
export function endRevision(sim: Sim, cluster: Cluster, { deployment, hash }: Revised): void {
  const newest = hashNow(deployment)
  for (const pod of podsOf(cluster, deployment))
    if ((pod.hash ?? newest) === hash) removePod(sim, cluster, pod)
  const left =
    hash === newest || !deployment.revisions
      ? deployment
      : { ...deployment, revisions: deployment.revisions.filter((each) => each.hash !== hash) }
  cluster.workloads = cluster.workloads.map((each) => (each === deployment ? left : each))
  fillWorkload(sim, cluster, left, loads(cluster))
}

/** Pods of one template of a deployment become those of a replica set that nobody keeps. */
function setAlone(cluster: Cluster, { deployment, hash }: Revised): Workload {
  const pods = podsOf(cluster, deployment).filter(
    (pod) => (pod.hash ?? hashNow(deployment)) === hash,
  )
  const name = `${deployment.name}-${hash}`
  const template = templateOf(deployment, hash)
  const labels = {
    ...podLabels(deployment, { workload: deployment.name, hash }),
    'pod-template-hash': hash,
  }
  const manifest: Manifest = {
    apiVersion: 'apps/v1',
    kind: 'ReplicaSet',
    metadata: { name, namespace: deployment.namespace, labels },
    spec: {
      replicas: hash === hashNow(deployment) ? deployment.replicas : pods.length,
      selector: { matchLabels: labels },
      template: { ...template, metadata: { ...record(template['metadata']), labels } },
    },
  }
  for (const pod of pods) Object.assign(pod, { workload: name, workloadKind: 'ReplicaSet' })
  for (const pod of pods) delete pod.hash
  return workloadFrom(manifest, deployment.createdAt, undefined)
}

/** A pod that belongs to nobody any more. */
function podAlone(workload: Workload, pod: Pod): Workload {
  const manifest: Manifest = {
    apiVersion: 'v1',
    kind: 'Pod',
    metadata: { name: pod.name, namespace: pod.namespace, labels: podLabels(workload, pod) },
    spec: templateOf(workload, pod.hash)['spec'],
  }
  Object.assign(pod, { workload: pod.name, workloadKind: 'Pod' })
  delete pod.hash
  return { ...workloadFrom(manifest, pod.createdAt, undefined), isMade: true }
}

/** A job that belongs to nobody any more. */
function jobAlone(job: Workload): Workload {
  if (!job.manifest) return job
  const { ownerReferences: _owners, owner: _owner, ...metadata } = job.manifest.metadata
  return { ...job, manifest: { ...job.manifest, metadata } }
}

/** Before a controller goes: what it made is made to stay, and belongs to nobody. */
export function leavePods(cluster: Cluster, identity: Manifest): void {
  const workload = workloadFor(cluster, identity)
  if (!workload) return
  if (workload.kind === 'CronJob') {
    const jobs = new Set(jobsOf(cluster, workload))
    cluster.workloads = cluster.workloads.map((each) => (jobs.has(each) ? jobAlone(each) : each))
    return
  }
  const left =
    workload.kind === 'Deployment'
      ? hashesOf(workload).map((hash) => setAlone(cluster, { deployment: workload, hash }))
      : cluster.running
          .filter((pod) => isPodOf(pod, workload))
          .map((pod) => podAlone(workload, pod))
  cluster.workloads = [...cluster.workloads, ...left]
}
