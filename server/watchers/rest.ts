/** Rest calendars at work: at each boundary of a calendar its cluster is stopped or started, like any change. What a person does in between stands until the next boundary. */
import { type Interval, restIntervals } from '~/core/scaling'
import type { Database } from '../records/database'
import { ClusterRow } from '../records/models'
import type { LookerParts } from './looker'
import { TimedWatcher } from './timed'

const dayMs = 86_400_000
const mark = 'rest calendar'
/** A stop or start that could not run is tried again after this long. */
const againMs = 600_000

interface RestParts extends LookerParts {
  readonly database: Database
}

interface Boundary {
  readonly at: number
  readonly rests: boolean
}

function boundaries(rest: NonNullable<ClusterRow['rest']>, around: Interval): readonly Boundary[] {
  return restIntervals(rest.zone, rest.windows, around)
    .flatMap(({ from, to }): Boundary[] => [
      ...(from > around.from ? [{ at: from, rests: true }] : []),
      ...(to < around.to ? [{ at: to, rests: false }] : []),
    ])
    .sort((a, b) => a.at - b.at)
}

export class Rest extends TimedWatcher {
  constructor(private readonly parts: RestParts) {
    super(parts.onError, mark)
  }

  protected async once(): Promise<void> {
    const { now } = this.parts.clock
    let next: number | null = null
    for (const row of await ClusterRow.findAll()) {
      if (!row.rest) continue
      const all = boundaries(row.rest, { from: now - 8 * dayMs, to: now + 9 * dayMs })
      const done = row.restDoneAt === null ? now : Date.parse(row.restDoneAt)
      const last = all.filter((boundary) => boundary.at <= now && boundary.at > done).at(-1)
      if (last) {
        const retry = await this.act(row.name, last)
        if (retry === null)
          await this.parts.database.write((transaction) =>
            row.update({ restDoneAt: new Date(last.at).toISOString() }, { transaction }),
          )
        else next = Math.min(next ?? Infinity, now + againMs)
      }
      const coming = all.find((boundary) => boundary.at > now)
      if (coming) next = Math.min(next ?? Infinity, coming.at)
    }
    this.dueAt = next
  }

  /** Null once it is as the calendar has it; else why it cannot be. */
  private async act(cluster: string, boundary: Boundary): Promise<string | null> {
    const view = await this.parts.fleet.view()
    const existingCluster = view.clusters.find((otherCluster) => otherCluster.name === cluster)
    if (!existingCluster || existingCluster.resting === boundary.rests) return null
    const kind = boundary.rests ? 'cluster.stop' : 'cluster.start'
    const refused = await this.parts.changes.runUnattended(kind, { cluster }, mark)
    if (refused !== null)
      await this.parts.journal({
        kind: 'rest.stuck',
        about: `cluster/${cluster}`,
        says: `the rest calendar cannot ${boundary.rests ? 'stop' : 'start'} ${cluster}: ${refused}`,
        params: { cluster, rests: boundary.rests, refused },
      })
    return refused
  }
}
