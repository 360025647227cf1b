/**
 * Sees to it that everything is observed and kept: at once where the outside tells that something is not what it was,
 * and every five minutes of clock where it does not tell. The clock waits while it looks, so a version bears
 * the time at which it was so.
 */
import { type ConnectorClock, Unheard } from '~/core/contract'
import type { FleetView } from '~/core/fleet'
import type { Json } from '~/core/history'
import type { ApiObject } from '~/core/objects'
import { breath } from '../breath'
import type { Fleet } from '../fleet/fleet'
import { Looker } from '../watchers/looker'
import type { Watcher } from '../watchers/watcher'
import type { Register } from './past'
import type { Observation, Versions } from './versions'

/** How often everything is looked at where a connector does not tell; where it does, only for what ages. */
const sweepMs = 300_000
const agingMs = 3_600_000
/** What is derived from long spans, like what pods used over a day, is looked at less often. */
const usageMs = 6 * 3_600_000
const pruneMs = 6 * 3_600_000

const json = (value: unknown): Json => value as Json

/** A picture without when it was taken: that is what the version tells. */
const withoutTime = ({ observedAt: _, ...rest }: { readonly observedAt: string }): Json =>
  json(rest)

/** Heartbeats that tell nothing new are no other content: those of the version are from when it was made. */
function withoutHeartbeats(objects: readonly ApiObject[]): Json {
  return json(
    objects.map((object) => {
      if (object.kind !== 'Node') return object
      const { conditions, ...status } =
        (object as { status?: Record<string, unknown> }).status ?? {}
      if (!Array.isArray(conditions)) return object
      return {
        ...object,
        status: {
          ...status,
          conditions: conditions.map((condition: Record<string, unknown>) => {
            const { lastHeartbeatTime: _, ...rest } = condition
            return rest
          }),
        },
      }
    }),
  )
}

const registerOf = (view: FleetView): Register => {
  const {
    version: _version,
    now: _now,
    sites,
    clusters,
    peers: _peers,
    traffic: _traffic,
    objects: _objects,
    timings: _timings,
    ...rest
  } = view
  return {
    ...rest,
    order: {
      sites: sites.map(({ name }) => name),
      clusters: clusters.map(({ name }) => name),
    },
  }
}

export interface ObserverParts {
  readonly fleet: Fleet
  readonly versions: Versions
  readonly clock: ConnectorClock
  /** Whether every connector tells what is not what it was. */
  readonly tells: boolean
  /** Most bytes that are kept. */
  readonly mostBytes: number
  readonly onError: (error: unknown) => void
  /** What else is thinned whenever the history is. */
  readonly onPrune: () => Promise<unknown>
}

export class Observer implements Watcher {
  private readonly looker: Looker
  /** What of each slice of the picture was last compared; the same object is the same content. */
  private readonly seen = new Map<string, object>()
  private readonly stirredSlices = new Set<string>()
  /** The version of the picture that was last kept. */
  private pictured: number | null = null
  private sweptAt: number | null = null
  private usedAt: number | null = null
  private prunedAt: number | null = null
  private pruning: Promise<unknown> = Promise.resolve()

  private readonly sweepMs: number

  constructor(private readonly parts: ObserverParts) {
    this.sweepMs = parts.tells ? agingMs : sweepMs
    this.looker = new Looker(() => this.once(), parts.onError)
  }

  wakeAt(): number | null {
    return this.sweptAt === null ? null : this.sweptAt + this.sweepMs
  }

  look(): void {
    this.looker.look()
  }

  atRest(): Promise<void> {
    return this.looker.atRest()
  }

  /** Slices are not what they were (`site:x`, `cluster:x`), or the register is not. */
  touched(slices: readonly string[]): void {
    for (const slice of slices) this.stirredSlices.add(slice)
    this.look()
  }

  registered(): void {
    this.look()
  }

  private async once(): Promise<void> {
    const stirred = new Set(this.stirredSlices)
    this.stirredSlices.clear()
    try {
      await this.observe(stirred)
    } catch (error) {
      // What was noted as seen may not have been kept: next time everything is looked at.
      for (const slice of stirred) this.stirredSlices.add(slice)
      this.seen.clear()
      this.pictured = null
      this.sweptAt = null
      throw error
    }
  }

  private async observe(stirred: ReadonlySet<string>): Promise<void> {
    const { fleet, clock, versions } = this.parts
    // Times are told to the millisecond: what was seen within one stands at it.
    const now = Math.floor(clock.now)
    const isFirst = this.sweptAt === null
    const sweeps = this.sweptAt === null || now >= this.sweptAt + this.sweepMs
    const looksAtUsage = this.usedAt === null || now >= this.usedAt + usageMs
    if (sweeps) this.sweptAt = Math.floor(now / this.sweepMs) * this.sweepMs
    if (looksAtUsage) this.usedAt = Math.floor(now / usageMs) * usageMs
    const view = await fleet.view()
    if (view.version !== this.pictured) await versions.append(now, this.ofPicture(view))
    this.pictured = view.version
    for (const { name, site } of view.clusters) {
      const isStirred =
        isFirst ||
        stirred.has(`cluster:${name}`) ||
        stirred.has(`site:${site}`) ||
        (sweeps && !this.parts.tells)
      await versions.append(now, await this.ofCluster(name, isStirred, sweeps, looksAtUsage))
      if (isStirred) await breath()
    }
    for (const { name } of view.sites)
      if (isFirst || looksAtUsage || stirred.has(`site:${name}`))
        await versions.append(now, [asKnown(`meter/${name}`, json(await fleet.meter(name)))])
    this.pruneIfDue(now)
  }

  /** Slices of the picture that are other objects than when it was last looked at. */
  private ofPicture(view: FleetView): readonly Observation[] {
    const result: Observation[] = []
    const note = (slice: string, object: object, content: () => Json): void => {
      if (this.seen.get(slice) === object) return
      this.seen.set(slice, object)
      result.push(asKnown(slice, content()))
    }
    for (const site of view.sites) note(`site/${site.name}`, site, () => withoutTime(site))
    for (const cluster of view.clusters)
      note(`cluster/${cluster.name}`, cluster, () => withoutTime(cluster))
    if (view.peers) note('fleet/peers', view.peers, () => json(view.peers))
    result.push(asKnown('fleet/register', json(registerOf(view))))
    const there = new Set([
      ...view.sites.map(({ name }) => `site/${name}`),
      ...view.clusters.map(({ name }) => `cluster/${name}`),
      'fleet/peers',
    ])
    for (const slice of [...this.seen.keys()]) {
      if (there.has(slice)) continue
      this.seen.delete(slice)
      const [kind, name = ''] = slice.split('/')
      const parts = kind === 'cluster' ? ['objects', 'events', 'traffic', 'usage'] : ['meter']
      for (const gone of [slice, ...parts.map((part) => `${part}/${name}`)])
        result.push({ slice: gone, state: 'gone', content: null })
    }
    return result
  }

  /** What a cluster lists, if it has stirred; what happens in it, who calls whom; what its pods use, now and then. */
  private async ofCluster(
    name: string,
    isStirred: boolean,
    sweeps: boolean,
    looksAtUsage: boolean,
  ): Promise<readonly Observation[]> {
    const { fleet } = this.parts
    const result: Observation[] = []
    const note = (slice: string, content: Json): void =>
      void result.push(
        content === null ? { slice, state: 'unheard', content } : asKnown(slice, content),
      )
    if (isStirred) {
      const objects = await heard(fleet.objectsOf(name))
      note(`objects/${name}`, objects && withoutHeartbeats(objects))
    }
    if (isStirred || sweeps) {
      note(`events/${name}`, json(await heard(fleet.eventsOf(name))))
      note(`traffic/${name}`, json(await heard(fleet.trafficOf(name))))
    }
    if (looksAtUsage) note(`usage/${name}`, json(await heard(fleet.usageOf(name))))
    return result
  }

  /** In the background: the clock does not wait for it. */
  private pruneIfDue(now: number): void {
    if (this.prunedAt !== null && now < this.prunedAt + pruneMs) return
    this.prunedAt = now
    const { versions, mostBytes, onError, onPrune } = this.parts
    this.pruning = this.pruning
      .then(() => versions.prune(now, mostBytes))
      .then(onPrune)
      .then(() => undefined)
      .catch(onError)
  }

  /** Resolves when nothing is being pruned. */
  async settled(): Promise<void> {
    await this.atRest()
    await this.pruning
  }
}

/** What is answered, or null where nothing was heard. */
async function heard<T>(answer: Promise<T>): Promise<T | null> {
  try {
    return await answer
  } catch (error) {
    if (error instanceof Unheard) return null
    throw error
  }
}

const asKnown = (slice: string, content: Json): Observation => ({ slice, state: 'known', content })
