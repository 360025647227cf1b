/** What the pages of Wire have in common: the aimed cluster with its site, and the picture in which walks are made. */
import { z } from 'zod'
import { clusterOf, type ClusterView, type FleetView, siteOf, type SiteView } from '~/core/fleet'
import type { Gyrarch } from '~/server/gyrarch'
import { fleetAsked } from '../moment'

/** What the action of the walk is asked: a walk to keep, or a kept one to remove. */
export const keepingAsked = z.object({
  keep: z.unknown().optional(),
  remove: z.string().max(100).optional(),
})

export interface Aimed {
  readonly view: FleetView
  readonly cluster: ClusterView | null
  readonly site: SiteView | null
}

/** The picture with the ways of the aimed cluster or site; without an aim, of the first cluster that has traffic. */
export async function aimed(gyrarch: Gyrarch, request: Request): Promise<Aimed> {
  const aim = new URL(request.url).searchParams.get('aim') ?? ''
  const fleet = await fleetAsked(gyrarch, request)
  const plain = await fleet.view()
  const [kind, name = ''] = aim.split('/')
  if (kind === 'site' && siteOf(plain, name)) {
    const first = plain.clusters.find((cluster) => cluster.site === name)
    const view = await fleet.viewFor([], [`site/${name}`])
    return {
      view,
      cluster: first ? (clusterOf(view, first.name) ?? null) : null,
      site: siteOf(view, name) ?? null,
    }
  }
  const cluster =
    (kind === 'cluster' || kind === 'node' || kind === 'pool') && clusterOf(plain, name)
      ? name
      : null
  if (cluster === null) return { view: plain, cluster: null, site: null }
  const view = await fleet.viewFor([cluster], [`cluster/${cluster}`])
  const matchingCluster = clusterOf(view, cluster)
  return {
    view,
    cluster: matchingCluster ?? null,
    site: matchingCluster ? (siteOf(view, matchingCluster.site) ?? null) : null,
  }
}

export const protocols = ['TCP', 'UDP', 'SCTP'] as const
