/** What a site tells when it is asked: only what its own interfaces would report. */
import { registryOf } from '../registry/held'
import type { BoxFacts, MachineReport, MeteredThing, SiteReport } from '../../core/contract'
import type { Simulator } from '../engine/simulator'
import { isoTime } from '../../core/units'
import type { Machine, Site } from '../site-state'
import { said } from './says'

export const machineReport = (machine: Machine): MachineReport => ({
  name: machine.name,
  zone: machine.zone,
  host: machine.host,
  size: machine.size,
  cores: machine.cores,
  memoryBytes: machine.memoryBytes,
  diskGb: machine.diskGb,
  lifetime: machine.lifetime,
  power: machine.power,
  address: machine.address,
  cluster: machine.cluster,
  apart: machine.apart,
})

/** Zones that offer a size and have none left. */
export const soldOut = (site: Site, size: string): readonly string[] =>
  site.soldOut.flatMap((entry) =>
    entry.endsWith(`/${size}`) ? [entry.slice(0, -size.length - 1)] : [],
  )
/** A site as it tells of itself: what only it knows (credentials, what will fail, its bill) stays with it. */
export function siteReport(sim: Simulator, name: string): SiteReport | null {
  const site = sim.site(name)
  if (!site) return null
  const {
    meter: _meter,
    credentials: _credentials,
    bootDataCutAt: _cut,
    soldOut: _sold,
    managedFrom: _from,
    registryHost: _host,
    ...told
  } = site
  return {
    ...told,
    ...registryAt(sim, site),
    sizes: site.sizes.map((size) => ({
      name: size.name,
      cores: size.cores,
      memoryBytes: size.memoryBytes,
      diskGb: size.diskGb,
      hourly: size.hourly,
      zones: size.zones,
      soldOut: soldOut(site, size.name),
    })),
    // A store of an earlier version does not tell.
    managedTiers: site.managedTiers.map(({ availability = null, ...tier }) => ({
      ...tier,
      availability,
    })),
    machines: site.machines.map(machineReport),
    boxes: site.boxes.map(({ inside: _inside, ...box }) => box),
  }
}

/** The registry of a site that has one. */
function registryAt(sim: Simulator, site: Site): Pick<SiteReport, 'registry'> {
  const { images } = sim.world
  const host = registryOf(site)
  if (!images || host === null) return {}
  return {
    registry: {
      host,
      images: Object.fromEntries(
        Object.entries(images)
          .filter(([repository]) => repository.startsWith(`${host}/`))
          .map(([repository, tags]) => [repository, Object.keys(tags)]),
      ),
      ...(sim.world.access?.[host] ? { access: sim.world.access[host] } : {}),
    },
  }
}

/** What a site counted for its bill. */
export const meterOf = (sim: Simulator, name: string): readonly MeteredThing[] | null =>
  sim.site(name)?.meter?.map((entry) => ({
    ...entry,
    from: isoTime(entry.from),
    until: entry.until === null ? null : isoTime(entry.until),
  })) ?? null
/** What a site says to a credential, by the fingerprint of its secret. */
export function credentialAnswer(
  sim: Simulator,
  siteName: string,
  fingerprint: string,
): { readonly good: boolean; readonly says: string } {
  const site = sim.site(siteName)
  if (!site) return { good: false, ...said('not-there', { siteName }) }
  const credential = site.credentials.find((credential) => credential.fingerprint === fingerprint)
  if (!credential) return { good: false, ...said('refused-not-known') }
  return credential.until > sim.now
    ? { good: true, ...said('accepted') }
    : { good: false, ...said('refused-ended', { until: isoTime(credential.until).slice(0, 10) }) }
}

/** What a machine that stands there finds when a script is run on it; null if nothing runs on it. */
export function boxFactsOf(sim: Simulator, siteName: string, name: string): BoxFacts | null {
  const box = sim.site(siteName)?.boxes.find((box) => box.name === name)
  if (!box?.prepared) return null
  const cards = box.cards.map((card) => ({
    name: card.name,
    mac: card.mac,
    addresses: card.address === null ? [] : [card.address],
  }))
  const inside = box.inside ?? { cards, clockOffSeconds: 0, runtime: true }
  return {
    hostname: name,
    arch: box.arch,
    clock: new Date(sim.now + inside.clockOffSeconds * 1000).toISOString(),
    runtime: inside.runtime,
    cards: inside.cards,
  }
}
