/**
 * A picture of the fleet taken apart into slices and put together again, so that whoever holds it elsewhere is sent
 * only what has changed. A slice is the same while it is the same object.
 */
import type { FleetView } from '~/core/fleet'

export type Slices = ReadonlyMap<string, unknown>

/** What is sent with each question: small, and another each time. */
export type Frame = Omit<
  FleetView,
  'sites' | 'clusters' | 'objects' | 'traffic' | 'ledger' | 'published'
> & {
  readonly siteNames: readonly string[]
  readonly clusterNames: readonly string[]
  readonly objectNames: readonly string[] | null
  readonly trafficNames: readonly string[] | null
  readonly holdsPublished: boolean
}

export function slicesOf(view: FleetView): Slices {
  const slices = new Map<string, unknown>()
  for (const site of view.sites) slices.set(`site/${site.name}`, site)
  for (const cluster of view.clusters) slices.set(`cluster/${cluster.name}`, cluster)
  for (const [name, slice] of Object.entries(view.objects ?? {}))
    slices.set(`objects/${name}`, slice.state === 'known' ? slice.value : slice)
  for (const [name, slice] of Object.entries(view.traffic ?? {}))
    slices.set(`traffic/${name}`, slice)
  slices.set('fleet/ledger', view.ledger)
  if (view.published) slices.set('fleet/published', view.published)
  return slices
}

export function frameOf(view: FleetView): Frame {
  const { sites, clusters, objects, traffic, published, ledger: _ledger, ...rest } = view
  return {
    ...rest,
    siteNames: sites.map(({ name }) => name),
    clusterNames: clusters.map(({ name }) => name),
    objectNames: objects ? Object.keys(objects) : null,
    trafficNames: traffic ? Object.keys(traffic) : null,
    holdsPublished: published !== undefined,
  }
}

/** The picture again, of slices that are at hand. */
export function viewOf(frame: Frame, slices: Slices): FleetView {
  const { siteNames, clusterNames, objectNames, trafficNames, holdsPublished, ...rest } = frame
  const named = (kind: string, names: readonly string[]): unknown[] =>
    names.map((name) => slices.get(`${kind}/${name}`))
  const objects = objectNames && {
    objects: Object.fromEntries(
      objectNames.map((name) => {
        const value = slices.get(`objects/${name}`)
        return [
          name,
          Array.isArray(value)
            ? { state: 'known', version: frame.version, at: frame.now, value }
            : value,
        ]
      }),
    ) as NonNullable<FleetView['objects']>,
  }
  const traffic = trafficNames && {
    traffic: Object.fromEntries(
      trafficNames.map((name) => [name, slices.get(`traffic/${name}`)]),
    ) as NonNullable<FleetView['traffic']>,
  }
  return {
    ...rest,
    sites: named('site', siteNames) as FleetView['sites'],
    clusters: named('cluster', clusterNames) as FleetView['clusters'],
    ledger: slices.get('fleet/ledger') as FleetView['ledger'],
    ...(objects ?? {}),
    ...(traffic ?? {}),
    ...(holdsPublished
      ? { published: slices.get('fleet/published') as NonNullable<FleetView['published']> }
      : {}),
  }
}
