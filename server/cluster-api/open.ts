/** The clusters’ own API, put together from what a Gyrarch consists of. */
import { clusterOf } from '~/core/fleet'
import { namesOf } from '../access/access-file'
import type { Fleet } from '../fleet/fleet'
import type { Outside } from './commit'
import { ClusterServers, type ClusterServersParts } from './servers'
import { writeTo } from './write'

type Parts = Pick<ClusterServersParts, 'database' | 'vault' | 'hub' | 'onError'> & {
  readonly outside: ClusterServersParts['outside'] & Outside
  readonly fleet: Pick<Fleet, 'view'>
}

export function openClusterServers(parts: Parts): ClusterServers {
  const { outside, fleet } = parts
  return new ClusterServers({
    ...parts,
    // An enrolled cluster has a server of its own.
    clusters: async () => (await fleet.view()).clusters.filter(({ reach }) => !reach),
    namesOf: async ({ name }) => {
      const view = await fleet.view()
      const cluster = clusterOf(view, name)
      return cluster ? namesOf(cluster, view) : [name]
    },
    write: (cluster, request, mirror) => writeTo({ cluster, outside, mirror }, request),
  })
}
