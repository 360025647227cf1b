/** Objects as they were written, with who owns which field of them. */

import { managedFields } from '../../core/objects'
import { isoTime } from '../../core/units'
import type { Cluster, Manifest } from '../cluster-state'
import { budgetNow } from '../cluster/budgets'
import { objectKey, record, text } from '../cluster/manifests'
import { quotaStatus } from '../cluster/quotas'

/** What a cluster makes of an object that it keeps; null where it makes nothing of it. */
function statusOf(cluster: Cluster, object: Manifest): Record<string, unknown> | null {
  switch (object.kind) {
    // What nothing has bound yet waits, and says so.
    case 'PersistentVolumeClaim':
      return object['status'] === undefined ? { phase: 'Pending' } : null
    case 'ResourceQuota':
      return quotaStatus(cluster, object)
    case 'PodDisruptionBudget': {
      const { expected, healthy, desired, allowed } = budgetNow(cluster, object)
      return {
        expectedPods: expected,
        currentHealthy: healthy,
        desiredHealthy: desired,
        disruptionsAllowed: allowed,
        conditions: [
          {
            type: 'DisruptionAllowed',
            status: allowed > 0 ? 'True' : 'False',
            reason: allowed > 0 ? 'SufficientPods' : 'InsufficientPods',
          },
        ],
      }
    }
    default:
      return null
  }
}

export function withOwners(
  cluster: Cluster,
  manifest: Manifest,
  at: number,
): Record<string, unknown> {
  const key = objectKey(manifest)
  const owners = cluster.owners?.[key]
  const since = cluster.ownedAt?.[key] ?? {}
  const status = statusOf(cluster, manifest)
  return {
    ...manifest,
    ...(status === null ? {} : { status }),
    metadata: {
      ...manifest.metadata,
      creationTimestamp: text(manifest.metadata['creationTimestamp']) || isoTime(at),
      ...(owners && Object.keys(owners).length > 0
        ? {
            managedFields: managedFields(owners, {
              apiVersion: manifest.apiVersion,
              since: (manager) => isoTime(since[manager] ?? at),
            }),
          }
        : {}),
    },
  }
}

/** Secrets are told by name and keys, never by content. */
export const masked = (manifest: Manifest): Manifest =>
  manifest.kind === 'Secret'
    ? {
        ...manifest,
        data: Object.fromEntries(
          Object.keys({ ...record(manifest['data']), ...record(manifest['stringData']) }).map(
            (key) => [key, '••••'],
          ),
        ),
        stringData: undefined,
      }
    : manifest
