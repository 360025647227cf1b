/**
 * What a change may read: a view holds exactly the slices that its kind said it needs. Reading more shows nothing in
 * the product, where the whole picture is at hand; in tests it is an error, so that what is needed is always said, and
 * a connector that is asked for it alone is asked for enough.
 */
import type { ClusterView, FleetView, SiteView } from './view'

let isStrict = false

/** Makes reading more than was asked for an error, or lets it be. Tests are strict. */
export function setStrictViews(strict: boolean): void {
  isStrict = strict
}

/** What stands behind the limited things. */
const behind = new WeakMap<object, object>()
/** What may be read of the limited things. */
const limits = new WeakMap<object, { key: string; allowed: ReadonlySet<string> }>()

const unlimited = <Thing extends object>(thing: Thing): Thing =>
  (behind.get(thing) as Thing | undefined) ?? thing

/** The view with everything in it readable again. */
export const wholeView = (view: FleetView): FleetView =>
  isStrict
    ? {
        ...view,
        catalogue: unlimited(view.catalogue),
        ledger: unlimited(view.ledger),
        ...(view.published ? { published: unlimited(view.published) } : {}),
        sites: view.sites.map(unlimited),
        clusters: view.clusters.map(unlimited),
      }
    : view

/** Read of a thing that was not asked for. */
export class UnneededRead extends Error {
  constructor(key: string, property: string) {
    super(`reads ${property} of ${key}, which its kind does not say it needs`)
  }
}

/** What names a thing and says where it stands: everybody may know that much of everything. */
const namesOfSite = new Set<string>(['name', 'title', 'kind', 'domain', 'zones', 'connected'])
const namesOfCluster = new Set<string>(['name', 'site', 'guarded', 'labels', 'drives', 'reach'])

/** What the slices that run through the whole fleet hold of every site and cluster. */
const everywhere: Readonly<
  Record<string, { readonly site: readonly string[]; readonly cluster: readonly string[] }>
> = {
  ledger: {
    site: ['networks', 'addresses', 'balancers', 'observedAt'],
    cluster: ['pods', 'services', 'maxPodsPerNode', 'endpoint'],
  },
  names: {
    site: ['nameDomain', 'records', 'nameServers', 'timeServers', 'observedAt'],
    cluster: [],
  },
  prices: { site: ['prices'], cluster: [] },
  spaces: { site: [], cluster: ['namespaces', 'pools'] },
  registries: { site: ['registry', 'nameDomain', 'records'], cluster: ['pullsAs', 'redirects'] },
  walks: {
    site: [
      'networks',
      'routes',
      'firewall',
      'translations',
      'mtu',
      'balancers',
      'nameDomain',
      'records',
      'nameServers',
    ],
    cluster: ['pods', 'services', 'keepSource', 'pools', 'endpoint', 'controlPlane', 'storage'],
  },
}

/** What may be read of sites and clusters that are not asked for whole. */
function readable(keys: ReadonlySet<string>): {
  readonly site: ReadonlySet<string>
  readonly cluster: ReadonlySet<string>
} {
  const site = new Set(namesOfSite)
  const cluster = new Set(namesOfCluster)
  for (const key of keys) {
    const slice = everywhere[key.startsWith('walks:') ? 'walks' : key]
    for (const property of slice?.site ?? []) site.add(property)
    for (const property of slice?.cluster ?? []) cluster.add(property)
  }
  return { site, cluster }
}

/** A thing of which no more may be read than some properties. */
function limited<Thing extends object>(
  thing: Thing,
  key: string,
  allowed: ReadonlySet<string>,
): Thing {
  const proxy = new Proxy(thing, {
    get: (target, property) => {
      if (typeof property === 'string' && property in target && !allowed.has(property))
        throw new UnneededRead(key, property)
      return Reflect.get(target, property) as unknown
    },
  })
  behind.set(proxy, thing)
  limits.set(proxy, { key, allowed })
  return proxy
}

/** A site or a cluster with other parts, of which no more may be read than before. */
export function withParts<Thing extends object>(thing: Thing, parts: Partial<Thing>): Thing {
  const whole = { ...unlimited(thing), ...parts }
  const limit = limits.get(thing)
  return limit ? limited(whole, limit.key, limit.allowed) : whole
}

const place = (walks: string): readonly [kind: string, name: string] => {
  const [kind = '', name = ''] = walks.slice('walks:'.length).split('/')
  return [kind, name]
}

/** Sites and clusters that keys hold whole: a site with the clusters on it, a cluster with the site it stands on. */
function wholeIn(
  view: FleetView,
  keys: ReadonlySet<string>,
): { readonly sites: ReadonlySet<string>; readonly clusters: ReadonlySet<string> } {
  const sites = new Set<string>()
  const clusters = new Set<string>()
  for (const key of keys) {
    const [kind, name] = key.startsWith('walks:')
      ? place(key)
      : [key.slice(0, key.indexOf(':')), key.slice(key.indexOf(':') + 1)]
    if (kind === 'site') sites.add(name)
    if (kind === 'cluster' || kind === 'objects') clusters.add(name)
  }
  if (keys.has('objects-everywhere')) for (const { name } of view.clusters) clusters.add(name)
  for (const { name, site } of view.clusters) {
    if (clusters.has(name)) sites.add(site)
    if (keys.has(`site:${site}`) || keys.has(`walks:site/${site}`)) clusters.add(name)
  }
  return { sites, clusters }
}

/**
 * The view with no more of each site and cluster than the keys hold, where that is looked after; else the view itself.
 * Those that are held whole are the same objects.
 */
export function scoped(given: FleetView, needs: readonly string[]): FleetView {
  if (!isStrict) return given
  const view = wholeView(given)
  const keys = new Set(needs)
  const whole = wholeIn(view, keys)
  const { site: ofSite, cluster: ofCluster } = readable(keys)
  const nothing = new Set<string>()
  return {
    ...view,
    catalogue: keys.has('catalogue')
      ? view.catalogue
      : limited(view.catalogue, 'the fleet: catalogue', nothing),
    ...(view.published && !keys.has('published')
      ? { published: limited(view.published, 'the fleet: published', nothing) }
      : {}),
    ledger: keys.has('ledger') ? view.ledger : limited(view.ledger, 'the fleet: ledger', nothing),
    sites: view.sites.map((site): SiteView =>
      whole.sites.has(site.name) ? site : limited(site, `site:${site.name}`, ofSite),
    ),
    clusters: view.clusters.map((cluster): ClusterView =>
      whole.clusters.has(cluster.name)
        ? cluster
        : limited(cluster, `cluster:${cluster.name}`, ofCluster),
    ),
  }
}
