/** What a site counts for its bill: every billable thing, from when it was there until it was gone. */
import type { Machine, Metered, Site } from '../world'

/** Closed entries are kept this long: two months and a bit. */
const keepMs = 70 * 86_400_000

type Thing = Omit<Metered, 'from' | 'until'>

const machine = ({ name, cluster, zone, size, cores, lifetime }: Machine): Thing => ({
  what: 'machine',
  name,
  cluster,
  zone,
  size,
  cores,
  lifetime,
})

function standing(site: Site): Map<string, Thing> {
  const things: readonly Thing[] = [
    ...site.machines.map(machine),
    ...site.disks.map(({ name, cluster, sizeGb }): Thing => ({
      what: 'disk',
      name,
      cluster,
      gb: sizeGb,
    })),
    ...site.controlPlanes.map(({ cluster, tier }): Thing => ({
      what: 'tier',
      name: cluster,
      cluster,
      tier,
    })),
    ...site.balancers.map(({ name, cluster }): Thing => ({ what: 'balancer', name, cluster })),
    ...site.addresses.flatMap(({ address, cluster, how }): readonly Thing[] =>
      how === 'virtual' ? [{ what: 'address', name: address, cluster }] : [],
    ),
    ...site.hosts.map(({ name, zone }): Thing => ({ what: 'host', name, cluster: null, zone })),
  ]
  return new Map(things.map((thing) => [JSON.stringify(thing), thing]))
}

/**
 * Brings a site’s meter up to now: what has come begins, what has gone ends. Something that is no longer what it
 * was (another size, another owner) ends and begins anew. O(n) for n things at the site.
 */
export function meterSite(site: Site, now: number): void {
  const there = standing(site)
  const kept: Metered[] = []
  for (const entry of site.meter ?? []) {
    if (entry.until !== null) {
      if (entry.until > now - keepMs) kept.push(entry)
      continue
    }
    const { from: _from, until: _until, ...thing } = entry
    if (there.delete(JSON.stringify(thing))) kept.push(entry)
    else if (entry.from < now) kept.push({ ...entry, until: now })
  }
  site.meter = [
    ...kept,
    ...[...there.values()].map((thing): Metered => ({ ...thing, from: now, until: null })),
  ]
}
