/**
 * What a site counts for its bill: every billable thing, from when it was there until it was gone.
 *
 * An event touches few things, so a site is not counted anew: billable records are never altered in place, and a list
 * that is still the same list holds the same things. Only lists that were replaced are looked at, and of those only
 * the records that came or went. O(1) for an untouched site, O(n) by identity for a list of n that was replaced.
 */
import type { Metered, Site } from '../world'

/** Closed entries are kept this long: two months and a bit. */
const keepMs = 70 * 86_400_000

type Thing = Omit<Metered, 'from' | 'until'>

/** What came and what went since the last count, by the text of the thing. */
interface Difference {
  readonly came: Map<string, Thing>
  readonly went: Set<string>
}

/** How a list stood when it was last counted, and those of its records that are billed. */
interface Count {
  readonly list: readonly object[]
  readonly billed: readonly object[]
}

/** One list of a site: compares it with its last count and gives the new one. */
interface Counter {
  readonly listOf: (site: Site) => readonly object[]
  readonly compare: (site: Site, last: Count | undefined, difference: Difference) => Count
}

/** Records looked at so far, at all sites: what a test holds against the number of events. */
export const meterWork = { records: 0 }

const keyOf = (thing: Thing): string => JSON.stringify(thing)

/** Whether the billed records of a list are the same records, in the same order. Makes nothing. */
function isUnaltered<Item extends object>(
  list: readonly Item[],
  isBilled: (item: Item) => boolean,
  billed: readonly object[],
): boolean {
  let at = 0
  for (const item of list) {
    if (!isBilled(item)) continue
    if (billed[at] !== item) return false
    at++
  }
  return at === billed.length
}

/** How many records at the beginning of two lists are the same. */
function sharedLength(left: readonly object[], right: readonly object[]): number {
  const max = Math.min(left.length, right.length)
  let at = 0
  while (at < max && left[at] === right[at]) at++
  return at
}

function counter<Item extends object>(
  listOf: (site: Site) => readonly Item[],
  billedAs: (item: Item) => Thing,
  isBilled: (item: Item) => boolean = () => true,
): Counter {
  /** The thing of each billed record: what it was billed as is known when it is gone. */
  const things = new WeakMap<object, Thing>()
  const thingOf = (item: Item): Thing => {
    meterWork.records++
    const thing = billedAs(item)
    things.set(item, thing)
    return thing
  }
  const compare: Counter['compare'] = (site, last, { came, went }) => {
    const list = listOf(site)
    if (last?.list === list) return last
    if (last && isUnaltered(list, isBilled, last.billed)) return { list, billed: last.billed }
    const billed = list.filter(isBilled)
    // Lists are replaced by ones that begin alike: only what follows can have come or gone.
    const alike = sharedLength(billed, last?.billed ?? [])
    const now = new Set(billed.slice(alike))
    const before = new Set<object>(last?.billed.slice(alike))
    for (const item of before) {
      const thing = now.has(item as Item) ? undefined : things.get(item)
      if (thing) went.add(keyOf(thing))
    }
    for (const item of now) {
      if (before.has(item)) continue
      const thing = thingOf(item)
      // What was replaced by a record that is billed alike goes on.
      if (!went.delete(keyOf(thing))) came.set(keyOf(thing), thing)
    }
    return { list, billed }
  }
  return { listOf, compare }
}

const counters: readonly Counter[] = [
  counter(
    (site) => site.machines,
    ({ name, cluster, zone, size, cores, lifetime }) => ({
      what: 'machine',
      name,
      cluster,
      zone,
      size,
      cores,
      lifetime,
    }),
  ),
  counter(
    (site) => site.disks,
    ({ name, cluster, sizeGb }) => ({ what: 'disk', name, cluster, gb: sizeGb }),
  ),
  counter(
    (site) => site.controlPlanes,
    ({ cluster, tier }) => ({ what: 'tier', name: cluster, cluster, tier }),
  ),
  counter(
    (site) => site.balancers,
    ({ name, cluster }) => ({ what: 'balancer', name, cluster }),
  ),
  counter(
    (site) => site.addresses,
    ({ address, cluster }) => ({ what: 'address', name: address, cluster }),
    ({ how }) => how === 'virtual',
  ),
  counter(
    (site) => site.hosts,
    ({ name, zone }) => ({ what: 'host', name, cluster: null, zone }),
  ),
]

/** How the lists of a site stood when they were last counted: forgotten with the site, and after a restore. */
const lastCounts = new WeakMap<Site, readonly Count[]>()

/** Whether every list is still the one that was counted. Asked after every event, so nothing is made for it. */
function isCounted(site: Site, last: readonly Count[]): boolean {
  for (let i = 0; i < counters.length; i++)
    if (counters[i]?.listOf(site) !== last[i]?.list) return false
  return true
}

/**
 * Brings a site’s meter up to now: what has come begins, what has gone ends. Something that is no longer what it
 * was (another size, another owner) ends and begins anew.
 */
export function meterSite(site: Site, now: number): void {
  const last = lastCounts.get(site)
  if (last && isCounted(site, last)) return
  const came = new Map<string, Thing>()
  const went = new Set<string>()
  const counts = counters.map((count, i) => count.compare(site, last?.[i], { came, went }))
  lastCounts.set(site, counts)
  const meter = site.meter ?? []
  if (!last) {
    // A site that was stored goes on where its open entries stand.
    for (const entry of meter) {
      if (entry.until !== null) continue
      if (!came.delete(keyOfEntry(entry))) went.add(keyOfEntry(entry))
    }
  }
  site.meter = came.size === 0 && went.size === 0 ? meter : altered(meter, now, { came, went })
}

function altered(meter: readonly Metered[], now: number, difference: Difference): Metered[] {
  const { came, went } = difference
  const begun = Array.from(came.values(), (thing) => ({ ...thing, from: now, until: null }))
  // What ended long ago is dropped when something else ends.
  if (went.size === 0) return [...meter, ...begun]
  const kept: Metered[] = []
  for (const entry of meter) {
    if (entry.until !== null) {
      if (entry.until > now - keepMs) kept.push(entry)
    } else if (!went.delete(keyOfEntry(entry))) kept.push(entry)
    else if (entry.from < now) kept.push({ ...entry, until: now })
  }
  return [...kept, ...begun]
}

function keyOfEntry(entry: Metered): string {
  const { from: _from, until: _until, ...thing } = entry
  return keyOf(thing)
}
