/** The pod security standards, as an API enforces them on what is written. */

import type { Cluster, Manifest } from '../cluster-state'
import type { Forbidden } from './forbidden'
import { podSecurityBreaks, podSecurityLabel } from '../../core/objects'
import { isWorkloadKind, record, templateIn } from './manifests'
import { said } from './says'

export function security(
  cluster: Cluster,
  manifest: Manifest,
  namespace: string,
): Forbidden | null {
  if (!isWorkloadKind(manifest.kind)) return null
  const own = (cluster.objects ?? []).find(
    (object) => object.kind === 'Namespace' && object.metadata.name === namespace,
  )
  const level = own?.metadata.labels?.[podSecurityLabel('enforce')]
  const broken = podSecurityBreaks(level, record(templateIn(manifest)['spec']))
  return broken.length === 0
    ? null
    : {
        reason: 'pod-security',
        ...said('pod-security', {
          kind: manifest.kind,
          namespace,
          name: manifest.metadata.name,
          level: level ?? '',
          broken: [...broken],
        }),
      }
}
