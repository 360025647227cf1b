/** The tree of the fleet down to the pods of the cluster that is zoomed in to. */
import { type FleetNode, type TreePod, withPods } from '~/core/fleet'
import { ofKind, type PodObject, text } from '~/core/objects'
import { parseBytes, parseCpuMilli } from '~/core/units'
import type { FleetPictures } from '~/server/fleet/pictures'

/** A pod as the tree of the fleet has it; null as long as it has no node. */
function treePod({ metadata, spec, status }: PodObject): TreePod | null {
  if (!spec?.nodeName) return null
  const containers = spec.containers ?? []
  const sum = (read: typeof parseBytes, resource: 'cpu' | 'memory'): number =>
    containers.reduce((total, container) => {
      const parsed = read(String(container.resources?.requests?.[resource] ?? 0))
      return total + (parsed.ok ? parsed.value : 0)
    }, 0)
  return {
    namespace: metadata.namespace ?? 'default',
    name: metadata.name,
    node: spec.nodeName,
    phase: status?.phase ?? 'Unknown',
    cpuMilli: sum(parseCpuMilli, 'cpu'),
    memoryBytes: sum(parseBytes, 'memory'),
    createdAt: text(metadata['creationTimestamp']) || null,
  }
}

/** In a zoomed cluster the tree goes down to its pods. */
export async function zoomedTree(
  fleet: FleetPictures,
  tree: FleetNode,
  zoom: string | null,
): Promise<FleetNode> {
  const [kind, cluster] = (zoom ?? '').split('/')
  if (cluster === undefined || (kind !== 'cluster' && kind !== 'pool')) return tree
  const pods = ofKind((await fleet.objectsOf(cluster)) ?? [], 'Pod').flatMap(
    (pod) => treePod(pod) ?? [],
  )
  return withPods(tree, cluster, pods)
}
