/** What a cluster can never hold, however it grows: its pod range has so many addresses for pods. */
import { clusterRanges, parseCidr } from '../addresses'
import type { RawFinding } from '../changes'
import type { ClusterView } from '../fleet'
import { record } from '../objects'
import { objectKey, objectText, type WrittenObject } from './parse'
import { said } from './says'

/** Where an object says how many pods it wants at once. */
const counts: Readonly<Record<string, string>> = {
  Deployment: 'replicas',
  ReplicaSet: 'replicas',
  StatefulSet: 'replicas',
  Job: 'parallelism',
  HorizontalPodAutoscaler: 'minReplicas',
}

/** The most pods that a cluster’s range has room for, or null where the range cannot be read. */
export function mostPods(cluster: ClusterView): number | null {
  const [pods, services] = [parseCidr(cluster.pods), parseCidr(cluster.services)]
  if (!pods.ok || !services.ok) return null
  const ranges = clusterRanges(pods.value, cluster.maxPodsPerNode, services.value)
  return ranges.ok ? Number(ranges.value.maxNodes) * cluster.maxPodsPerNode : null
}

/** A stop for each object that wants more pods than the cluster could ever hold. */
export function capacityFindings(
  objects: readonly WrittenObject[],
  cluster: ClusterView,
): readonly RawFinding[] {
  const limit = mostPods(cluster)
  if (limit === null) return []
  return objects.flatMap((object): readonly RawFinding[] => {
    const field = counts[object.kind]
    const asked = field === undefined ? undefined : record(object['spec'])[field]
    if (field === undefined || typeof asked !== 'number' || asked <= limit) return []
    return [
      {
        level: 'stop',
        rule: `capacity.${objectKey(object)}`,
        field: 'text',
        ...said('capacity', {
          objectText: objectText(object),
          field,
          asked,
          cluster: cluster.name,
          most: limit,
        }),
        because: [
          {
            ...said('capacity.range', {
              range: cluster.pods,
              perNode: cluster.maxPodsPerNode,
              most: limit,
            }),
            source: cluster.name,
            at: cluster.observedAt,
          },
        ],
      },
    ]
  })
}
