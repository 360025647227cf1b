/** Pods that an API forbids itself: those that would break a namespace’s security level, or its quota of pods. */
import { podSecurityBreaks, podSecurityLabel } from '../../core/objects'
import type { Cluster, Workload } from '../cluster-state'
import { currentHash, record as fields, templateOf } from './manifests'
import { podOverQuota } from './quotas'

/** As many pods the store of a cluster takes. */
const mostPods = 50_000

/** Why an API forbids another pod of a workload, as its controller is told; null where it does not. */
export function podForbidden(cluster: Cluster, workload: Workload): string | null {
  const { namespace, name } = workload
  if (cluster.running.length >= mostPods)
    return `pods "${name}" is forbidden: the store keeps no more than ${mostPods} pods`
  const objects = cluster.objects ?? []
  const own = objects.find(
    ({ kind, metadata }) => kind === 'Namespace' && metadata.name === namespace,
  )
  const level = own?.metadata.labels?.[podSecurityLabel('enforce')]
  const spec = fields(templateOf(workload, currentHash(workload))['spec'])
  const breaks = podSecurityBreaks(level, spec)
  if (breaks.length > 0)
    return `pods "${name}" is forbidden: violates PodSecurity "${level ?? ''}:latest": ${breaks.join(', ')}`
  const over = podOverQuota(cluster, workload)
  return over === null ? null : `pods "${name}" is forbidden: ${over}`
}
