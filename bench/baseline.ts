/**
 * The last accepted figures, as ratios to a fixed piece of work measured in the same run: so a slow machine, or one
 * that is busy, is not taken for slow code. A figure that is a quarter worse than its baseline fails.
 */
import { readFileSync, writeFileSync } from 'node:fs'
import { z } from 'zod'
import { type Figure, measure } from './figure'

const file = 'bench/baseline.json'
/** How much worse than its baseline a figure may be. */
const tolerance = 1.25

const baselineSchema = z.record(z.string(), z.number().positive())
export type Baseline = z.infer<typeof baselineSchema>

/** Milliseconds of a fixed piece of work: text, maps, sorting and arithmetic, as the product does them. */
export function fixedWork(): number {
  const work = (): number => {
    let h = 0x811c9dc5
    const counts = new Map<string, number>()
    for (let i = 0; i < 60_000; i++) {
      h = Math.imul(h ^ i, 0x01000193) >>> 0
      const key = `node-${h % 5000}`
      counts.set(key, (counts.get(key) ?? 0) + 1)
    }
    const rows = [...counts].map(([name, count]) => ({ name, count, share: count / 60_000 }))
    rows.sort((a, b) => a.count - b.count || (a.name < b.name ? -1 : 1))
    const copy = JSON.parse(JSON.stringify(rows)) as typeof rows
    return copy.length + h
  }
  return measure(15, () => void work()).median
}

export function readBaseline(): Baseline {
  try {
    return baselineSchema.parse(JSON.parse(readFileSync(file, 'utf8')))
  } catch (error) {
    if (error instanceof Error && 'code' in error && error.code === 'ENOENT') return {}
    throw error
  }
}

export function writeBaseline(baseline: Baseline): void {
  const sorted = Object.fromEntries(Object.entries(baseline).sort(([a], [b]) => (a < b ? -1 : 1)))
  writeFileSync(file, `${JSON.stringify(sorted, null, 2)}\n`)
}

/** What one millisecond of fixed work is worth in the unit of a figure. */
const scaleOf = (figure: Figure, fixedMs: number): number => {
  switch (figure.unit) {
    case 'ms':
      return fixedMs
    case 's':
      return fixedMs / 1000
    case '/s':
      return 1000 / fixedMs
    case 'GiB':
    case 'kB':
    case '/12 s':
      return 1
  }
}

/** What fixed work takes on the machine that the aims of throughput are set for, in milliseconds. */
const referenceMs = 11

/**
 * What a figure is held to on a machine that takes `fixedMs` for fixed work. What people wait for is the same
 * everywhere; how much a second is asked in proportion of a machine that is slower than the one it was set for.
 */
export function boundOf({ aim, unit }: Figure, fixedMs: number): number {
  if ('atMost' in aim) return aim.atMost
  return unit === '/s' ? aim.atLeast * Math.min(1, referenceMs / fixedMs) : aim.atLeast
}

export const meetsAim = (figure: Figure, fixedMs: number): boolean => {
  const bound = boundOf(figure, fixedMs)
  return 'atMost' in figure.aim ? figure.value <= bound : figure.value >= bound
}

export const ratioOf = (figure: Figure, fixedMs: number): number =>
  Number((figure.value / scaleOf(figure, fixedMs)).toPrecision(4))

/** What the figure would be on this machine, now, if nothing had changed since it was accepted; null if it is new. */
export function expectedValue(figure: Figure, baseline: Baseline, fixedMs: number): number | null {
  const ratio = baseline[figure.name]
  return ratio === undefined ? null : ratio * scaleOf(figure, fixedMs)
}

/** Whether a figure is a quarter worse than what was accepted. */
export function isWorse(figure: Figure, expected: number | null): boolean {
  if (expected === null) return false
  return 'atMost' in figure.aim
    ? figure.value > expected * tolerance
    : figure.value < expected / tolerance
}
