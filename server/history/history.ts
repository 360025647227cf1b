/** What is known of the past: the fleet as it was, what changed between two times, and since when something is as it is. */
import type { ConnectorClock } from '~/core/contract'
import { type FleetNode, fleetTree, type FleetView } from '~/core/fleet'
import {
  type Difference,
  differencesIn,
  isAbout,
  type Json,
  turnOf,
  visibleTime,
} from '~/core/history'
import { Refusal } from '../changes/errors'
import { isoClock } from '../runner/active'
import type { Observer } from './observer'
import { PastFleet } from './past'
import type { Version, Versions, VersionState } from './versions'

/** So many past pictures are held, and so many differences are told of one version. */
const mostPictures = 12
const mostDifferences = 200

export interface VersionTold {
  readonly slice: string
  readonly version: number
  readonly at: string
  readonly state: VersionState
  /** Null where it is the first that is known: then nothing is known to have changed. */
  readonly differences: readonly Difference[] | null
  /** How many there are beyond those told. */
  readonly more: number
}

/** What is asked of one moment: its answer, and how it is called. */
export interface Question {
  /** Slices that the answer is made of; null for any. */
  readonly slices: readonly string[] | null
  readonly answer: (fleet: PastFleet) => Promise<string>
}

export interface Since {
  readonly is: string
  readonly was: string | null
  /** The observation from which on it is so; the first that is known, if it never was otherwise. */
  readonly since: string
  /** The last observation at which it was otherwise. */
  readonly before: string | null
  /** At how many moments it was computed. */
  readonly asked: number
  /** What differed in what the answer is made of, between the two. */
  readonly differences: readonly (Difference & { readonly slice: string })[]
}

export class History {
  private readonly pictures = new Map<number, Promise<PastFleet>>()

  constructor(
    private readonly versions: Versions,
    private readonly observer: Observer,
    private readonly clock: ConnectorClock,
    readonly mostBytes: number,
  ) {}

  /** The fleet as it was at a time (ISO). Refuses before the history begins and after now. */
  async at(time: string): Promise<PastFleet> {
    const at = Date.parse(time)
    if (Number.isNaN(at))
      throw new Refusal(
        'invalid',
        `at: ${time.slice(0, 40)} is no time. Give one like ${isoClock(this.clock.now)}.`,
        [{ path: 'at', says: 'no time' }],
      )
    if (at > this.clock.now)
      throw new Refusal(
        'invalid',
        `at: ${isoClock(at)} is later than now, ${isoClock(this.clock.now)}.`,
        [{ path: 'at', says: 'later than now' }],
      )
    await this.observer.atRest()
    const { begins } = await this.versions.extent()
    if (begins === null || at < begins)
      throw new Refusal(
        'not-found',
        begins === null
          ? 'Nothing was observed yet.'
          : `The history begins at ${isoClock(begins)}; what was before that is not known.`,
        [{ path: 'at', says: 'before the history begins' }],
      )
    // What may still be observed at this very moment is not held as the past.
    if (at >= Math.floor(this.clock.now)) return this.picture(at)
    const visible = Math.max(begins, visibleTime(at, await this.versions.thinnedAt()))
    const held = this.pictures.get(visible)
    if (held) return held
    const picture = this.picture(visible)
    this.pictures.set(visible, picture)
    for (const oldest of this.pictures.keys()) {
      if (this.pictures.size <= mostPictures) break
      this.pictures.delete(oldest)
    }
    return picture
  }

  private async picture(at: number): Promise<PastFleet> {
    return new PastFleet(this.versions, at, await this.versions.standing(at))
  }

  /** What was observed of something between two times (ms), oldest first, with what differed. */
  async observed(
    about: string | null,
    from: number,
    until: number,
    limit: number,
  ): Promise<{ readonly versions: readonly VersionTold[]; readonly next: string | null }> {
    await this.observer.atRest()
    const slices = about === null ? null : await this.slicesOf(about)
    const rows = await this.versions.between(slices, from, until, limit + 1)
    const told: VersionTold[] = []
    for (const row of rows.slice(0, limit)) {
      const differences = await this.differencesOf(row, await this.versions.before(row))
      const relevant =
        differences && about !== null
          ? differences.filter((difference) => isAbout(difference, about))
          : differences
      if (relevant?.length === 0 && row.state === 'known') continue
      told.push({
        slice: row.slice,
        version: row.version,
        at: isoClock(row.at),
        state: row.state,
        differences: relevant?.slice(0, mostDifferences) ?? null,
        more: Math.max(0, (relevant?.length ?? 0) - mostDifferences),
      })
    }
    const beyond = rows[limit]
    return { versions: told, next: beyond ? isoClock(beyond.at) : null }
  }

  /** What differs between the fleet at two times, in some slices or in all. */
  async between(
    from: PastFleet,
    until: PastFleet,
    slices: readonly string[] | null,
  ): Promise<readonly (Difference & { readonly slice: string })[]> {
    const result: (Difference & { readonly slice: string })[] = []
    for (const slice of slices ?? (await this.versions.slices())) {
      const former = from.standingOf(slice)
      const later = until.standingOf(slice)
      if (former?.id === later?.id) continue
      for (const difference of differencesIn(
        slice,
        await this.contentOf(former),
        await this.contentOf(later),
      ))
        result.push({ slice, ...difference })
    }
    return result
  }

  /** Since when an answer is what it is now. Null where nothing it is made of was observed. */
  async since(question: Question): Promise<Since | null> {
    await this.observer.atRest()
    const times = await this.versions.times(question.slices, this.clock.now)
    const fleetAt = (index: number): Promise<PastFleet> =>
      this.at(isoClock(times[index] ?? this.clock.now))
    const turn = await turnOf(times.length, async (index) => question.answer(await fleetAt(index)))
    if (!turn) return null
    const differences =
      turn.before === null
        ? []
        : await this.between(await fleetAt(turn.before), await fleetAt(turn.since), question.slices)
    return {
      is: turn.is,
      was: turn.was,
      since: isoClock(times[turn.since] ?? this.clock.now),
      before: turn.before === null ? null : isoClock(times[turn.before] ?? this.clock.now),
      asked: turn.asked,
      differences: differences.slice(0, mostDifferences),
    }
  }

  /** A moment between the nearest ones at which something changed; null where the text is no time. */
  async around(time: string): Promise<{
    readonly at: string
    readonly earlier: string | null
    readonly later: string | null
  } | null> {
    const at = Date.parse(time)
    if (Number.isNaN(at)) return null
    const { earlier, later } = await this.versions.around(at)
    return {
      at: isoClock(at),
      earlier: earlier === null ? null : isoClock(earlier),
      later: later === null ? null : isoClock(later),
    }
  }

  /** How far back it goes and how much is kept. */
  async extent(): Promise<{
    readonly begins: string | null
    readonly versions: number
    readonly bytes: number
    readonly mostBytes: number
  }> {
    await this.observer.atRest()
    const { begins, versions, bytes } = await this.versions.extent()
    return {
      begins: begins === null ? null : isoClock(begins),
      versions,
      bytes,
      mostBytes: this.mostBytes,
    }
  }

  /** Slices that may tell of a ref: those of its cluster or site. */
  async slicesOf(about: string): Promise<readonly string[]> {
    const [, name] = about.split('/')
    return (await this.versions.slices()).filter((slice) => slice.split('/')[1] === name)
  }

  async close(): Promise<void> {
    await this.observer.settled()
    await this.versions.close()
  }

  private contentOf(version: Version | undefined): Promise<Json | undefined> {
    return version?.state === 'known' ? this.versions.content(version) : Promise.resolve(undefined)
  }

  private async differencesOf(
    version: Version,
    before: Version | null,
  ): Promise<readonly Difference[] | null> {
    if (!before) return null
    return differencesIn(version.slice, await this.contentOf(before), await this.contentOf(version))
  }
}

/** The state of whatever a ref names, as the tree of the fleet has it. */
export async function stateAt(fleet: PastFleet, ref: string): Promise<string> {
  return stateIn(await fleet.view(), ref)
}

export function stateIn(view: FleetView, ref: string): string {
  const find = (node: FleetNode): FleetNode | undefined => {
    if (node.ref === ref) return node
    for (const child of node.children) {
      const inner = find(child)
      if (inner) return inner
    }
    return undefined
  }
  return find(fleetTree(view))?.state ?? 'not there'
}
