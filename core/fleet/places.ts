/**
 * Everything that has a name, to be found by typing a part of it. Names are put into lower case once; a search looks
 * through all of them and keeps the best, which for the 100,000 names of a fleet of 5,000 nodes takes some 20 ms.
 */
import { compareText } from '../units'
import type { ClusterView, SiteView } from './view'
import type { ApiObject } from '../objects'

export interface FleetPlace {
  /** What it is, as people call it: `node`, `service`, `volume claim`. */
  readonly kind: string
  readonly name: string
  /** Where it is: a cluster, a site, a namespace in a cluster. */
  readonly where: string
  /** What it is of the outside: `node/cedar/cedar-1`, `object/bramble/Service/market/desk`. */
  readonly ref: string
}

/** A place with what it is searched by. */
export interface IndexedPlace<Place extends FleetPlace = FleetPlace> {
  readonly place: Place
  readonly name: string
  readonly text: string
}

const kindNames: Readonly<Record<string, string>> = {
  PersistentVolume: 'volume',
  PersistentVolumeClaim: 'volume claim',
  HorizontalPodAutoscaler: 'autoscaler',
  NetworkPolicy: 'policy',
  HTTPRoute: 'route',
}

const workloadKinds = new Set(['Deployment', 'StatefulSet', 'DaemonSet', 'Job', 'CronJob'])

/** Kinds that are many and never looked for by name: what keeps the others going. */
const isUnnamed = (kind: string): boolean =>
  kind === 'ReplicaSet' || kind === 'EndpointSlice' || kind === 'Event' || kind === 'Node'

export function indexed<Place extends FleetPlace>(place: Place): IndexedPlace<Place> {
  const name = place.name.toLowerCase()
  return { place, name, text: `${name} ${place.kind} ${place.where}`.toLowerCase() }
}

/** Sites and what stands at them: machines in their own right, addresses that are held, name records, images. */
export function placesAt(site: SiteView): readonly FleetPlace[] {
  const at = (kind: string, name: string, ref: string): FleetPlace => ({
    kind,
    name,
    where: site.name,
    ref,
  })
  return [
    { kind: 'site', name: site.name, where: site.kind, ref: `site/${site.name}` },
    ...site.boxes.map((box) => at('machine', box.name, `machine/${site.name}/${box.name}`)),
    ...site.hosts.map((host) => at('host', host.name, `host/${site.name}/${host.name}`)),
    ...site.networks.map((network) =>
      at('network', network.name, `network/${site.name}/${network.name}`),
    ),
    ...site.addresses.map((held) =>
      at('address', `${held.address} ${held.for}`, `address/${site.name}/${held.address}`),
    ),
    ...site.records.map((record) =>
      at('name record', `${record.name}.${site.nameDomain}`, `record/${site.name}/${record.name}`),
    ),
    ...site.images.map((image) =>
      at('image', `image ${image.release}`, `image/${site.name}/${image.release}`),
    ),
    ...site.balancers.map((balancer) =>
      at('load balancer', balancer.name, `balancer/${site.name}/${balancer.name}`),
    ),
    ...(site.firewall ?? []).map((rule) =>
      at('firewall rule', rule.name, `firewall/${site.name}/${rule.name}`),
    ),
  ]
}

/** A cluster with its pools and nodes, and with what its API lists where that is known. */
export function placesIn(
  cluster: ClusterView,
  objects: readonly ApiObject[] = [],
): readonly FleetPlace[] {
  const { name } = cluster
  return [
    { kind: 'cluster', name, where: cluster.site, ref: `cluster/${name}` },
    ...cluster.pools.flatMap((pool) => [
      { kind: 'pool', name: pool.name, where: name, ref: `pool/${name}/${pool.name}` },
      ...pool.nodes.map((node) => ({
        kind: 'node',
        name: node.name,
        where: name,
        ref: `node/${name}/${node.name}`,
      })),
    ]),
    ...cluster.backups.map((backup) => ({
      kind: 'backup',
      name: backup.id,
      where: name,
      ref: `backup/${name}/${backup.id}`,
    })),
    ...objects
      .filter((object) => !isUnnamed(object.kind))
      .map((object) => placeOfObject(name, object)),
  ]
}

function placeOfObject(cluster: string, { kind, metadata }: ApiObject): FleetPlace {
  const namespace = metadata?.namespace ?? undefined
  const name = metadata?.name ?? ''
  const isWorkload = workloadKinds.has(kind)
  const prefix = isWorkload ? 'workload' : 'object'
  return {
    kind: kindNames[kind] ?? kind.replace(/([a-z])([A-Z])/g, '$1 $2').toLowerCase(),
    name,
    where: namespace === undefined ? cluster : `${namespace} in ${cluster}`,
    ref: `${prefix}/${cluster}/${kind}/${namespace ?? ''}/${name}`,
  }
}

/** What people mean first when two things are called alike. */
const kindRank: Readonly<Record<string, number>> = {
  area: 0,
  view: 0,
  command: 0,
  cluster: 1,
  site: 1,
  pool: 2,
  node: 2,
  change: 2,
  deployment: 3,
  'stateful set': 3,
  'daemon set': 3,
  service: 3,
}
const otherRank = 4

/** How well a name answers, the smallest best: it is the word, begins with it, has a part that does, holds it. */
function nameRank(name: string, word: string): number | null {
  const at = name.indexOf(word)
  if (at < 0) return null
  if (name.length === word.length) return 0
  if (at === 0) return 1
  return /[-./ :_]/.test(name.charAt(at - 1)) ? 2 : 3
}

/**
 * The places that answer to a text, best first. Every word must be in the name, the kind or where it is; the first one
 * decides the order. Nothing typed gives the first ones as they stand.
 */
export function findPlaces<Place extends FleetPlace>(
  places: Iterable<IndexedPlace<Place>>,
  text: string,
  limit: number,
): readonly Place[] {
  const [first, ...others] = text.trim().toLowerCase().split(/\s+/)
  if (first === undefined || first === '') {
    const shown: Place[] = []
    for (const { place } of places) {
      if (shown.length >= limit) break
      shown.push(place)
    }
    return shown
  }
  const ranked: { readonly place: Place; readonly rank: number }[] = []
  for (const { place, name, text: all } of places) {
    if (!all.includes(first) || !others.every((word) => all.includes(word))) continue
    const byName = nameRank(name, first) ?? 5
    ranked.push({ place, rank: byName * 10 + (kindRank[place.kind] ?? otherRank) })
  }
  return ranked
    .sort(
      (a, b) =>
        a.rank - b.rank ||
        a.place.name.length - b.place.name.length ||
        compareText(a.place.name, b.place.name) ||
        compareText(a.place.where, b.place.where),
    )
    .slice(0, limit)
    .map(({ place }) => place)
}
