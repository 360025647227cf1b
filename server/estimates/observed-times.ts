/** How long steps took, kept for each that ended well at its first attempt, and what the next plans learn from it. */
import { QueryTypes, type Transaction } from 'sequelize'
import {
  mostSamples,
  placesIn,
  type Sample,
  timingKey,
  timingOf,
  type Timings,
  workOf,
} from '~/core/estimates'
import type { Database } from '../records/database'
import { ClusterRow, type ChangeRow, DurationRow, type StepRow } from '../records/models'

/** How well the estimates of one kind of work did. */
export interface Accuracy {
  readonly verb: string
  readonly site: string
  readonly size: string
  readonly samples: number
  readonly runs: number
  /** Seconds: what was said to be likely on average, and what it took. */
  readonly predicted: number
  readonly took: number
  /** Mean of how far off the likely ones were, as a part of what it took. */
  readonly miss: number
  /** Part that ended within the worst estimate. */
  readonly within: number
  /** What the next plans say; null while it is too little to count. */
  readonly next: { readonly likely: number; readonly worst: number } | null
}

export class ObservedTimes {
  private readonly samples = new Map<string, Sample[]>()
  private table: Timings = {}

  private constructor(private readonly database: Database) {}

  static async open(database: Database): Promise<ObservedTimes> {
    const times = new ObservedTimes(database)
    const rows = await DurationRow.findAll({ order: [['id', 'ASC']] })
    for (const row of rows) times.take(row)
    times.tabulate([...times.samples.keys()])
    return times
  }

  /** What is known by now; another object whenever it is more. */
  get timings(): Timings {
    return this.table
  }

  /** Keeps how long a step took that has just ended well, in the transaction of its end. */
  async note(
    transaction: Transaction,
    change: ChangeRow,
    step: StepRow,
    at: string,
  ): Promise<void> {
    if (step.undoing || step.attempts !== 1 || step.startedAt === null || !change.plan) return
    const clusters = await ClusterRow.findAll({ attributes: ['name', 'site'], transaction })
    const work = workOf(step.command, placesIn(change.plan, clusters))
    if (!work) return
    const row = {
      ...work,
      change: change.number,
      step: step.id,
      predicted: step.likely,
      worst: step.worst,
      seconds: (Date.parse(at) - Date.parse(step.startedAt)) / 1000,
      at,
    }
    await DurationRow.create(row, { transaction })
    transaction.afterCommit(() => {
      this.take(row)
      this.tabulate([timingKey(work), timingKey({ ...work, size: '' })])
    })
  }

  /** How well the estimates did, of every kind of work. */
  async accuracy(): Promise<readonly Accuracy[]> {
    const rows = await this.database.sequelize.query<Omit<Accuracy, 'next'>>(
      `SELECT verb, site, size, COUNT(*) AS samples, COUNT(DISTINCT change) AS runs, AVG(predicted) AS predicted, AVG(seconds) AS took, AVG(ABS(predicted - seconds) / MAX(seconds, 1)) AS miss, AVG(CASE WHEN seconds <= worst THEN 1.0 ELSE 0.0 END) AS within FROM durations GROUP BY verb, site, size ORDER BY verb, site, size`,
      { type: QueryTypes.SELECT },
    )
    return rows.map((row) => {
      const timing = this.table[timingKey(row)]
      return { ...row, next: timing ? { likely: timing.likely, worst: timing.worst } : null }
    })
  }

  private take({ verb, site, size, change, seconds }: Sampled): void {
    for (const key of new Set([
      timingKey({ verb, site, size }),
      timingKey({ verb, site, size: '' }),
    ])) {
      const list = this.samples.get(key) ?? []
      list.push({ change, seconds })
      if (list.length > mostSamples) list.shift()
      this.samples.set(key, list)
    }
  }

  private tabulate(keys: readonly string[]): void {
    this.table = {
      ...this.table,
      ...Object.fromEntries(keys.map((key) => [key, timingOf(this.samples.get(key) ?? [])])),
    }
  }
}

type Sampled = Pick<DurationRow, 'verb' | 'site' | 'size' | 'change' | 'seconds'>
