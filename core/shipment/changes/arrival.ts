/**
 * What follows once the blobs of a shipment are in the registry of its site, however they came: images are entered with
 * their signatures, the base image is placed, nodes are told to look there, and every node pulls what came.
 */
import { type Proof, ref, type Step, type StepResults } from '../../changes'
import { command, type Ref } from '../../contract'
import type { ClusterView, FleetView } from '../../fleet'
import { estimates, from, step } from '../../provisioning/steps'
import { findRelease } from '../../releases'
import { countText } from '../../units'
import type { ShipmentPlace } from './pack-order'

/** A shipment at the site it is for. */
export type Arrival = ShipmentPlace & {
  readonly shipment: {
    readonly name: string
    readonly release: string | null
    readonly images: readonly { readonly name: string; readonly digest: string }[]
  }
}

/** Images of a shipment that the registry of its site does not list. */
export function lacking({ site, shipment }: Arrival): Arrival['shipment']['images'] {
  return shipment.images.filter(({ name }) => {
    const colon = name.lastIndexOf(':')
    const tags = site.registry.images[`${site.registry.host}/${name.slice(0, colon)}`]
    return !tags?.includes(name.slice(colon + 1))
  })
}

const clustersAt = (view: FleetView, site: string): readonly ClusterView[] =>
  view.clusters.filter((cluster) => cluster.site === site && cluster.apiAnswers)

const redirectOf = ({ site, source }: ShipmentPlace) => ({
  from: source.host,
  to: site.registry.host,
})

/** Where the nodes of a cluster look from now on. */
function redirectsOf(cluster: ClusterView, wanted: { from: string; to: string }) {
  return [...(cluster.redirects ?? []).filter((redirect) => redirect.from !== wanted.from), wanted]
}

const isRedirected = (cluster: ClusterView, wanted: { from: string; to: string }): boolean =>
  (cluster.redirects ?? []).some(({ from: of, to }) => of === wanted.from && to === wanted.to)

function clusterSteps(cluster: ClusterView, arrival: Arrival): readonly Step[] {
  const wanted = redirectOf(arrival)
  const group = cluster.name
  const redirect = `redirect-${cluster.name}`
  return [
    step({
      id: redirect,
      after: ['images'],
      group,
      says: `have every node look for ${wanted.from} at ${wanted.to}`,
      command: command('nodes.redirect', {
        cluster: cluster.name,
        redirects: redirectsOf(cluster, wanted),
      }),
      undo: command('nodes.redirect', {
        cluster: cluster.name,
        redirects: from(redirect, 'before'),
      }),
      seconds: { likely: 14, worst: 60 },
    }),
    step({
      id: `pull-${cluster.name}`,
      after: [redirect],
      group,
      says: `pull ${countText(arrival.shipment.images.length, 'image')} on every node`,
      command: command('images.pull', {
        cluster: cluster.name,
        images: arrival.shipment.images.map(({ name, digest }) => ({
          name: `${wanted.from}/${name}`,
          digest,
        })),
      }),
      seconds: { likely: 22, worst: 90 },
    }),
  ]
}

export function arrivalSteps(
  arrival: Arrival,
  view: FleetView,
  after: readonly string[],
): readonly Step[] {
  const { site, shipment } = arrival
  const place = { shipment: shipment.name, site: site.name }
  const release =
    shipment.release === null ? undefined : findRelease(view.catalogue, shipment.release)
  const isPlaced = !release || site.images.some((image) => image.release === release.version)
  return [
    step({
      id: 'images',
      after,
      group: site.registry.host,
      says: `verify and enter ${countText(shipment.images.length, 'image')} with their signatures`,
      command: command('images.enter', place),
      undo: command('images.withdraw', place),
      seconds: { likely: 10, worst: 120 },
    }),
    ...(isPlaced
      ? []
      : [
          step({
            id: 'base',
            after: ['images'],
            group: site.name,
            says: `bring ${release.baseImage} ${release.version} to every zone`,
            command: command('image.place', {
              site: site.name,
              name: release.baseImage,
              release: release.version,
              minimumDiskGb: release.minimumRootDiskGb,
            }),
            undo: command('image.remove', { site: site.name, release: release.version }),
            seconds: estimates.placeImage,
          }),
        ]),
    ...clustersAt(view, site.name).flatMap((cluster) => clusterSteps(cluster, arrival)),
  ]
}

/** What a shipment alters where it arrives: the registry, and the clusters that pull from it. */
export const arrivalAlters = (site: string, view: FleetView): readonly Ref[] => [
  ref('registry', site),
  ...clustersAt(view, site).map(({ name }) => ref('cluster', name)),
]

export const guardedAt = (site: string, view: FleetView): readonly string[] =>
  clustersAt(view, site)
    .filter((cluster) => cluster.guarded)
    .map(({ name }) => name)

export function arrivalProof(
  arrival: Arrival,
  view: FleetView,
  results: StepResults,
): readonly Proof[] {
  const { site, shipment } = arrival
  const missing = lacking(arrival)
  const wanted = redirectOf(arrival)
  return [
    {
      says: `${site.registry.host} holds every image of ${shipment.name}`,
      holds: missing.length === 0,
      observed: `${shipment.images.length - missing.length} of ${countText(shipment.images.length, 'image')}`,
    },
    ...clustersAt(view, site.name).map((cluster) => {
      const pulled = results[`pull-${cluster.name}`]
      return {
        says: `nodes of ${cluster.name} pull from ${wanted.to}`,
        holds:
          isRedirected(cluster, wanted) &&
          Number(pulled?.['images'] ?? 0) === shipment.images.length,
        observed: `${Number(pulled?.['images'] ?? 0)} images pulled on ${countText(Number(pulled?.['nodes'] ?? 0), 'node')}`,
      }
    }),
  ]
}
