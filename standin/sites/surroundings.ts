/** The name and time servers that a machine can ask: those of its site, and of every site in its address domain. */
import type { Sim } from '../engine/sim'
import { addressNamed, obstacleTo } from '../traffic/reach'
import type { Network, Site } from '../world'

/** Sites that share the address domain, the site itself first. Nothing is made: most look-ups end at the site itself. */
function* sitesOfDomain(sim: Sim, site: Site): Generator<Site> {
  yield site
  for (const name in sim.world.sites) {
    const otherSite = sim.site(name)
    if (otherSite && otherSite !== site && otherSite.domain === site.domain) yield otherSite
  }
}

/** The name servers a machine asks: those it was told, else the one its network hands out, else the site’s first. */
export function nameServersFor(
  site: Site,
  network: Network | undefined,
  told: readonly string[],
): readonly string[] {
  if (told.length > 0) return told
  const handedOut = network?.nameServer ?? site.nameServers[0]?.address
  return handedOut === undefined ? [] : [handedOut]
}

/** Whether one of the addresses is that of a name server that answers, and a packet of `from` gets there. */
export function namesAreAnswered(
  sim: Sim,
  site: Site,
  addresses: readonly string[],
  from: string | null,
): boolean {
  for (const otherSite of sitesOfDomain(sim, site))
    for (const server of otherSite.nameServers)
      if (
        server.answers &&
        addresses.includes(server.address) &&
        (from === null || obstacleTo(sim, site, from, server.address, 53, 'UDP') === null)
      )
        return true
  return false
}

/**
 * The time servers a machine asks: those it was told, as far as they exist, else the site’s. One that a packet of `from`
 * does not get to does not answer it.
 */
export function timeServersFor(
  sim: Sim,
  site: Site,
  told: readonly string[],
  from: string | null,
): Site['timeServers'] {
  const servers: Site['timeServers'][number][] = []
  if (told.length === 0) servers.push(...site.timeServers)
  else
    for (const otherSite of sitesOfDomain(sim, site))
      for (const server of otherSite.timeServers)
        if (told.includes(server.name)) servers.push(server)
  return servers.map((server) => {
    const address = addressNamed(sim, site, server.name)
    const isCutOff =
      from !== null && address !== null && obstacleTo(sim, site, from, address, 123, 'UDP') !== null
    return isCutOff ? { ...server, answers: false } : server
  })
}
