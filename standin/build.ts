/** Builds the outside world of a scenario: sites, their machines, and clusters that have run for a while. */
import { addOnWorkloads, networkWorkload } from './cluster/platform'
import { digestOf, imageParts } from './cluster/manifests'
import type { Scenario, ScenarioCluster, ScenarioSite } from './scenario'
import type { World } from './world'
import { buildCluster } from './build-cluster'
import { buildSite, plain } from './build-site'

const number = (index: number): string => String(index).padStart(2, '0')

/** The scenario with as many copies of one site and its cluster as `nodes` nodes take; each in a routing domain of its own. */
export function enlarged(scenario: Scenario, nodes: number): Scenario {
  const count = (clusters: readonly ScenarioCluster[]): number =>
    clusters.reduce(
      (sum, cluster) =>
        sum +
        (cluster.controlPlane.kind === 'own' ? cluster.controlPlane.count : 0) +
        cluster.pools.reduce((pools, pool) => pools + pool.count, 0),
      0,
    )
  const site = scenario.sites.find((site) => site.name === scenario.copies.site)
  const cluster = scenario.clusters.find((cluster) => cluster.name === scenario.copies.cluster)
  if (!site || !cluster) return scenario
  const sites: ScenarioSite[] = [...scenario.sites]
  const clusters: ScenarioCluster[] = [...scenario.clusters]
  const workloads = [...scenario.workloads]
  const others = scenario.workloads.filter((workload) => workload.cluster === cluster.name)
  for (let i = 2; count(clusters) < nodes; i++) {
    const name = `${site.name}-${number(i)}`
    sites.push({
      ...site,
      name,
      title: `${site.title} ${i}`,
      domain: `${site.domain}-${number(i)}`,
      zones: site.zones.map((zone) => zone.replace(site.name, name)),
      ...(site.hosts ? { hosts: { ...site.hosts, perZone: scenario.copies.hostsPerZone } } : {}),
      networks: site.networks.map((network) => ({
        ...network,
        name: network.name.replace(site.name, name),
      })),
      routes: site.routes.map((route) => ({
        ...route,
        network: route.network.replace(site.name, name),
      })),
    })
    clusters.push({
      ...cluster,
      name: `${cluster.name}-${number(i)}`,
      site: name,
      guarded: false,
      drives: [],
      pools: cluster.pools.map((pool) => ({
        ...pool,
        count: scenario.copies.counts[pool.name] ?? pool.count,
      })),
    })
    workloads.push(
      ...others.map((workload) => ({ ...workload, cluster: `${cluster.name}-${number(i)}` })),
    )
  }
  return { ...scenario, sites, clusters, workloads }
}

/** The world of a scenario at its start, with at least `nodes` nodes. */
export function buildWorld(given: Scenario, seed: number, nodes = 0): World {
  const scenario = enlarged(given, nodes)
  const sites = Object.fromEntries(
    scenario.sites.map((site) => [site.name, buildSite(site, scenario)]),
  )
  const busy = new Map<string, Map<string, number>>()
  const clusters = Object.fromEntries(
    scenario.clusters.map((spec) => {
      const site = sites[spec.site]
      if (!site)
        throw new Error(`the scenario puts ${spec.name} at ${spec.site}, which it does not list`)
      const load = busy.get(site.name) ?? new Map<string, number>()
      busy.set(site.name, load)
      return [spec.name, buildCluster(spec, site, scenario, seed, load)]
    }),
  )
  const faults = scenario.faults.map((fault, i) => ({
    id: `scenario-${i + 1}`,
    kind: fault.fault,
    about: fault.about,
    mode: fault.mode,
    left: fault.mode === 'transient' ? fault.times : null,
    since: Date.parse(scenario.start),
  }))
  const repositories = new Set(
    Object.values(clusters).flatMap((cluster) =>
      cluster.workloads.map((workload) => imageParts(workload.image).repository),
    ),
  )
  // A registry inside a site that nothing is joined to holds what runs there.
  for (const cluster of Object.values(clusters)) {
    const host = sites[cluster.site]?.registryHost
    if (host === undefined) continue
    for (const { image } of cluster.workloads) {
      const { repository } = imageParts(image)
      repositories.add(`${host}/${repository.slice(repository.indexOf('/') + 1)}`)
    }
  }
  const { outside } = scenario
  for (const path of outside?.repositories ?? [])
    repositories.add(`${outside?.registry ?? ''}/${outside?.below ?? ''}/${path}`)
  for (const own of [...addOnWorkloads(0), networkWorkload(0)])
    repositories.add(imageParts(own.image).repository)
  const images: Record<string, Record<string, string>> = Object.fromEntries(
    [...repositories]
      .sort()
      .map((repository) => [
        repository,
        Object.fromEntries(scenario.tags.map((tag) => [tag, digestOf(`${repository}:${tag}`)])),
      ]),
  )
  for (const image of scenario.published) {
    const { repository, tag } = imageParts(image)
    images[repository] = { ...images[repository], [tag]: digestOf(image) }
  }
  const peers = plain(scenario.peers) as NonNullable<World['peers']>
  return {
    seed,
    images,
    ...(scenario.releases ? { releases: scenario.releases } : {}),
    ...(outside
      ? { outside: { host: outside.host, registry: outside.registry, below: outside.below } }
      : {}),
    ...(peers.length > 0 ? { peers } : {}),
    sites,
    clusters,
    faults,
    operations: {},
  }
}
