/** Objects as they were written, with who owns which field of them. */

import { managedFields } from '../../core/objects'
import { isoTime } from '../../core/units'
import type { Cluster, Manifest } from '../cluster-state'
import { objectKey, record, text } from '../cluster/manifests'

export function withOwners(
  cluster: Cluster,
  manifest: Manifest,
  at: number,
): Record<string, unknown> {
  const owners = cluster.owners?.[objectKey(manifest)]
  return {
    ...manifest,
    // What nothing has bound yet waits, and says so.
    ...(manifest.kind === 'PersistentVolumeClaim' && manifest['status'] === undefined
      ? { status: { phase: 'Pending' } }
      : {}),
    metadata: {
      ...manifest.metadata,
      creationTimestamp: text(manifest.metadata['creationTimestamp']) || isoTime(at),
      ...(owners && Object.keys(owners).length > 0 ? { managedFields: managedFields(owners) } : {}),
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
