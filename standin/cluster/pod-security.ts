/** The pod security standards, as an API enforces them on what is written. */

import type { Cluster, Manifest } from '../cluster-state'
import type { Forbidden } from './forbidden'
import { isWorkloadKind, record, templateIn, list } from './manifests'
import { said } from './says'

/** Source: the pod security standards, levels baseline and restricted, as far as templates here can break them. */
export function security(
  cluster: Cluster,
  manifest: Manifest,
  namespace: string,
): Forbidden | null {
  if (manifest.kind !== 'Pod' && !isWorkloadKind(manifest.kind)) return null
  const own = (cluster.objects ?? []).find(
    (object) => object.kind === 'Namespace' && object.metadata.name === namespace,
  )
  const level = own?.metadata.labels?.['pod-security.kubernetes.io/enforce']
  if (level === undefined || level === 'privileged') return null
  const spec = record(templateIn(manifest)['spec'])
  const containers = [...list(spec['containers']), ...list(spec['initContainers'])].map(record)
  const broken: string[] = []
  if (spec['hostNetwork'] === true || spec['hostPID'] === true || spec['hostIPC'] === true)
    broken.push('host namespaces')
  if (containers.some((container) => record(container['securityContext'])['privileged'] === true))
    broken.push('privileged')
  if (list(spec['volumes']).some((volume) => record(volume)['hostPath'] !== undefined))
    broken.push('hostPath volumes')
  if (
    containers.some((container) =>
      list(container['ports']).some((port) => Number(record(port)['hostPort'] ?? 0) > 0),
    )
  )
    broken.push('hostPort')
  if (level === 'restricted') {
    if (
      containers.some(
        (container) => record(container['securityContext'])['allowPrivilegeEscalation'] !== false,
      )
    )
      broken.push('allowPrivilegeEscalation != false')
    if (
      record(spec['securityContext'])['runAsNonRoot'] !== true &&
      containers.some((container) => record(container['securityContext'])['runAsNonRoot'] !== true)
    )
      broken.push('runAsNonRoot != true')
  }
  return broken.length === 0
    ? null
    : {
        reason: 'pod-security',
        ...said('pod-security', {
          kind: manifest.kind,
          namespace,
          name: manifest.metadata.name,
          level,
          broken,
        }),
      }
}
