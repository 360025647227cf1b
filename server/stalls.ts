/** How long the event loop was held: the longest and the 99th percentile, as its own histogram sees it. */
import { type IntervalHistogram, monitorEventLoopDelay } from 'node:perf_hooks'

const resolutionMs = 5

export interface Stall {
  readonly longestMs: number
  readonly p99Ms: number
}

export class Stalls {
  private readonly histogram: IntervalHistogram

  constructor() {
    this.histogram = monitorEventLoopDelay({ resolution: resolutionMs })
    this.histogram.enable()
  }

  /** What it was since it was last taken, and begins anew. */
  take(): Stall {
    const ms = (ns: number): number => Math.max(0, Math.round((ns / 1e6 - resolutionMs) * 10) / 10)
    const { max, count } = this.histogram
    const taken =
      count === 0
        ? { longestMs: 0, p99Ms: 0 }
        : { longestMs: ms(max), p99Ms: ms(this.histogram.percentile(99)) }
    this.histogram.reset()
    return taken
  }

  end(): void {
    this.histogram.disable()
  }
}
