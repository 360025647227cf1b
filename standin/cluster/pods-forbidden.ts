/** Pods that an API forbids itself: those that would break a namespace’s security level, or its quota of pods. */
import type { Cluster, Workload } from '../cluster-state'
import { list, record as fields, templateOf, currentHash, text } from './manifests'

/** Namespaces are looked after by these, as the open components write them. */
const levelLabel = 'pod-security.kubernetes.io/enforce'

/** As many pods the store of a cluster takes. */
const mostPods = 50_000

/** What a pod of a workload breaks of the level restricted, in the API’s words. */
function broken(workload: Workload): readonly string[] {
  const spec = fields(templateOf(workload, currentHash(workload))['spec'])
  const isNonRoot = fields(spec['securityContext'])['runAsNonRoot'] === true
  return list(spec['containers']).flatMap((entry) => {
    const container = fields(entry)
    const context = fields(container['securityContext'])
    const name = text(container['name'])
    return [
      ...(context['allowPrivilegeEscalation'] === false
        ? []
        : [
            `allowPrivilegeEscalation != false (container "${name}" must set securityContext.allowPrivilegeEscalation=false)`,
          ]),
      ...(isNonRoot || context['runAsNonRoot'] === true
        ? []
        : [
            `runAsNonRoot != true (pod or container "${name}" must set securityContext.runAsNonRoot=true)`,
          ]),
    ]
  })
}

/** Why an API forbids another pod of a workload, as its controller is told; null where it does not. */
export function podForbidden(cluster: Cluster, workload: Workload): string | null {
  const { namespace, name } = workload
  if (cluster.running.length >= mostPods)
    return `pods "${name}" is forbidden: the store keeps no more than ${mostPods} pods`
  const objects = cluster.objects ?? []
  const own = objects.find(
    ({ kind, metadata }) => kind === 'Namespace' && metadata.name === namespace,
  )
  if (own?.metadata.labels?.[levelLabel] === 'restricted') {
    const breaks = broken(workload)
    if (breaks.length > 0)
      return `pods "${name}" is forbidden: violates PodSecurity "restricted:latest": ${breaks.join(', ')}`
  }
  const pods = cluster.running.filter(
    (pod) => pod.namespace === namespace && pod.phase !== 'Succeeded',
  ).length
  for (const quota of objects) {
    if (quota.kind !== 'ResourceQuota' || quota.metadata.namespace !== namespace) continue
    const limit = Number(fields(fields(quota['spec'])['hard'])['pods'] ?? NaN)
    if (pods >= limit)
      return `pods "${name}" is forbidden: exceeded quota: ${quota.metadata.name}, requested: pods=1, used: pods=${pods}, limited: pods=${limit}`
  }
  return null
}
