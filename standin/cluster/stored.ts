/** What a cluster keeps of the objects that were written to it: found, put, taken away. */
import type { Sim } from '../engine/sim'
import { learnClass } from '../storage/provision'
import type { Cluster, Manifest, Workload } from '../world'
import { addService } from './add-ons'
import { isClusterWide } from './admission'
import { queueCron } from './cron'
import {
  hashNow,
  isPodOf,
  isWorkloadKind,
  jobsOf,
  manifestOf,
  objectKey,
  podsOf,
  workloadFrom,
} from './manifests'
import { disown } from './owned'
import { keptObject } from './standard-objects'
import { reclaim } from './volumes'

export const namespaced = (manifest: Manifest): Manifest =>
  isClusterWide(manifest.kind) || manifest.metadata.namespace !== undefined
    ? manifest
    : { ...manifest, metadata: { ...manifest.metadata, namespace: 'default' } }

export const workloadFor = (cluster: Cluster, manifest: Manifest): Workload | undefined =>
  cluster.workloads.find(
    (workload) =>
      workload.kind === manifest.kind &&
      workload.namespace === manifest.metadata.namespace &&
      workload.name === manifest.metadata.name,
  )

/** An object as it was last written, or undefined. */
export function writtenObject(cluster: Cluster, manifest: Manifest): Manifest | undefined {
  const workload = workloadFor(cluster, manifest)
  if (workload) return manifestOf(workload)
  const key = objectKey(manifest)
  const stored = keptObject(cluster, key)
  if (stored) return stored
  if (manifest.kind === 'Namespace' && cluster.namespaces.includes(manifest.metadata.name))
    return { apiVersion: 'v1', kind: 'Namespace', metadata: { name: manifest.metadata.name } }
  const service =
    manifest.kind === 'Service'
      ? cluster.serviceList.find(
          (service) =>
            service.name === manifest.metadata.name &&
            service.namespace === manifest.metadata.namespace,
        )
      : undefined
  return service
    ? {
        apiVersion: 'v1',
        kind: 'Service',
        metadata: { name: service.name, namespace: service.namespace },
        spec: { ports: [{ port: service.port }], selector: { app: service.workload } },
      }
    : undefined
}

/** Puts a whole object into the cluster, whatever was there. */
export function store(sim: Sim, cluster: Cluster, manifest: Manifest): void {
  if (isWorkloadKind(manifest.kind)) {
    const before = workloadFor(cluster, manifest)
    if (before && before.revisions === undefined && before.kind !== 'Pod')
      for (const pod of podsOf(cluster, before)) pod.hash ??= hashNow(before)
    const workload = workloadFrom(manifest, sim.now, before)
    cluster.workloads = before
      ? cluster.workloads.map((eachWorkload) => (eachWorkload === before ? workload : eachWorkload))
      : [...cluster.workloads, workload]
    if (workload.kind === 'CronJob' && !before) queueCron(sim, cluster, workload)
    return
  }
  const key = objectKey(manifest)
  const exists = (cluster.objects ?? []).some((object) => objectKey(object) === key)
  cluster.objects = exists
    ? (cluster.objects ?? []).map((object) => (objectKey(object) === key ? manifest : object))
    : [...(cluster.objects ?? []), manifest]
  if (manifest.kind === 'Namespace' && !cluster.namespaces.includes(manifest.metadata.name))
    cluster.namespaces = [...cluster.namespaces, manifest.metadata.name].sort()
  if (manifest.kind === 'Service') addService(cluster, manifest)
  if (manifest.kind === 'StorageClass') learnClass(cluster, manifest.metadata.name, manifest)
}

/** Takes an object away, with the pods that came of it; a namespace with everything in it. */
export function drop(sim: Sim, cluster: Cluster, manifest: Manifest): void {
  const { namespace, name } = manifest.metadata
  if (manifest.kind === 'Namespace') {
    for (const claim of (cluster.objects ?? []).filter(
      (object) => object.kind === 'PersistentVolumeClaim' && object.metadata.namespace === name,
    ))
      reclaim(sim, cluster, claim)
    cluster.namespaces = cluster.namespaces.filter((otherNamespace) => otherNamespace !== name)
    cluster.workloads = cluster.workloads.filter((candidate) => candidate.namespace !== name)
    cluster.running = cluster.running.filter((pod) => pod.namespace !== name)
    cluster.serviceList = cluster.serviceList.filter((service) => service.namespace !== name)
    cluster.objects = (cluster.objects ?? []).filter(
      (object) =>
        object.metadata.namespace !== name &&
        !(object.kind === 'Namespace' && object.metadata.name === name),
    )
    return
  }
  if (manifest.kind === 'StorageClass') learnClass(cluster, name, null)
  const workload = workloadFor(cluster, manifest)
  if (workload) {
    const gone = workload.kind === 'CronJob' ? [workload, ...jobsOf(cluster, workload)] : [workload]
    cluster.running = cluster.running.filter((pod) => !gone.some((each) => isPodOf(pod, each)))
    cluster.workloads = cluster.workloads.filter((candidate) => !gone.includes(candidate))
  }
  if (manifest.kind === 'Service')
    cluster.serviceList = cluster.serviceList.filter(
      (service) => !(service.namespace === namespace && service.name === name),
    )
  const key = objectKey(manifest)
  const claim =
    manifest.kind === 'PersistentVolumeClaim' ? writtenObject(cluster, manifest) : undefined
  if (claim) reclaim(sim, cluster, claim)
  cluster.objects = (cluster.objects ?? []).filter((object) => objectKey(object) !== key)
  disown(cluster, key)
}
