/** What a bench tells: one figure with its unit, and the aim it is held to. */
import { readFileSync } from 'node:fs'

export interface Figure {
  /** Stable from run to run: the baseline is kept under it. */
  readonly name: string
  readonly value: number
  readonly unit: 'ms' | 's' | 'GiB' | '/s' | '/12 s' | 'kB'
  readonly aim: { readonly atMost: number } | { readonly atLeast: number }
  /** More for whoever reads along. */
  readonly detail?: string
}

/** A bench has a name that `--only` takes, and gives its figures when it is run. */
export interface Bench {
  readonly name: string
  readonly run: () => readonly Figure[] | Promise<readonly Figure[]>
}

/** Median and worst of `times` runs after three that do not count, in milliseconds. */
export function measure(times: number, work: () => void): { median: number; worst: number } {
  for (let i = 0; i < 3; i++) work()
  return middle(
    Array.from({ length: times }, () => {
      const from = performance.now()
      work()
      return performance.now() - from
    }),
  )
}

/** Median and worst of what was measured. */
export function middle(taken: readonly number[]): { median: number; worst: number } {
  const sorted = [...taken].sort((a, b) => a - b)
  return { median: sorted[Math.floor(sorted.length / 2)] ?? 0, worst: sorted.at(-1) ?? 0 }
}

/** What a process holds in memory, in MiB. */
export const residentMiB = (pid: number): number => {
  const status = readFileSync(`/proc/${pid}/status`, 'utf8')
  return Number(/VmRSS:\s+(\d+)/.exec(status)?.[1] ?? 0) / 1024
}
