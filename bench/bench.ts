/**
 * `npm run bench`: how long the heavy things take, held to their aims and to what was last accepted.
 *   --json            one JSON line a figure
 *   --only A,B        these benches alone
 *   --accept          takes what was measured as the new baseline
 * Ends with 1 when a figure misses its aim or is a quarter worse than its baseline. Figures, not tests: what is worse
 * is measured again twice before it counts.
 */
import { cpus } from 'node:os'
import { parseArgs } from 'node:util'
import { addressFigures } from './addresses'
import {
  type Baseline,
  boundOf,
  expectedValue,
  fixedWork,
  isWorse,
  meetsAim,
  ratioOf,
  readBaseline,
  writeBaseline,
} from './baseline'
import type { Bench, Figure } from './figure'
import { diagnosisFigures } from './diagnosis'
import { diskWallFigures } from './disk-wall'
import { fleetFigures } from './fleet'
import { historyFigures } from './history'
import { manifestFigures } from './manifests'
import { pageFigures } from './pages'
import { boardFigures, placementFigures } from './placement'
import { draftFigures, packingFigures } from './raise'
import { shipmentFigures } from './shipment'
import { stallFigures } from './stalls'
import { simulatorFigures } from './simulator'
import { reachFigures } from './reach'
import { serveFigures } from './serve'
import { reviewFigures, walkFigures } from './wire'

// Placement first: it tells its memory, and what others leave behind would count.
const benches: readonly Bench[] = [
  { name: 'placement', run: placementFigures },
  { name: 'board', run: boardFigures },
  { name: 'addresses', run: addressFigures },
  { name: 'packing', run: packingFigures },
  { name: 'walks', run: walkFigures },
  { name: 'review', run: reviewFigures },
  { name: 'shipment', run: shipmentFigures },
  { name: 'wall', run: diskWallFigures },
  { name: 'diagnosis', run: diagnosisFigures },
  { name: 'manifests', run: manifestFigures },
  { name: 'draft', run: draftFigures },
  { name: 'simulator', run: simulatorFigures },
  { name: 'fleet', run: fleetFigures },
  { name: 'history', run: historyFigures },
  { name: 'stalls', run: stallFigures },
  { name: 'reach', run: reachFigures },
  { name: 'serve', run: serveFigures },
  { name: 'pages', run: pageFigures },
]

interface Judged {
  readonly figure: Figure
  readonly expected: number | null
  /** What it is held to on this machine. */
  readonly bound: number
  readonly holds: boolean
  readonly ratio: number
}

const attempts = 3

/** Runs a bench until each of its figures has held once, at most three times. */
async function judged(bench: Bench, baseline: Baseline): Promise<readonly Judged[]> {
  const best = new Map<string, Judged>()
  for (let attempt = 0; attempt < attempts; attempt++) {
    const fixedMs = fixedWork()
    for (const figure of await bench.run()) {
      if (best.get(figure.name)?.holds) continue
      const expected = expectedValue(figure, baseline, fixedMs)
      const holds = meetsAim(figure, fixedMs) && !isWorse(figure, expected)
      const bound = boundOf(figure, fixedMs)
      best.set(figure.name, { figure, expected, bound, holds, ratio: ratioOf(figure, fixedMs) })
    }
    if ([...best.values()].every((result) => result.holds)) break
  }
  return [...best.values()]
}

const digits: Readonly<Record<Figure['unit'], number>> = {
  ms: 1,
  s: 2,
  GiB: 2,
  '/s': 0,
  '/12 s': 0,
  kB: 0,
}

const shown = (value: number, unit: Figure['unit']): string =>
  `${value.toLocaleString('en', { maximumFractionDigits: digits[unit] })} ${unit}`

/** What a figure is held to; where a slow machine is asked less, what it was set at as well. */
function aimShown({ figure: { aim, unit }, bound }: Judged): string {
  if ('atMost' in aim) return `at most ${shown(bound, unit)}`
  const here = bound === aim.atLeast ? '' : ` (here ${shown(bound, unit)})`
  return `at least ${shown(aim.atLeast, unit)}${here}`
}

function line(result: Judged): string {
  const { figure, expected, holds } = result
  const { name, value, unit, detail } = figure
  const before = expected === null ? 'new' : `accepted ${shown(expected, unit)}`
  const more = detail === undefined ? '' : `  (${detail})`
  return `${holds ? 'ok    ' : 'FAILED'} ${name.padEnd(62)} ${shown(value, unit).padStart(16)}   ${aimShown(result)}, ${before}${more}`
}

function jsonLine({ figure, expected, bound, holds, ratio }: Judged): string {
  const { name, value, unit, aim } = figure
  const better = 'atMost' in aim ? 'lower' : 'higher'
  return JSON.stringify({ name, value, unit, aim: bound, holds, baseline: expected, better, ratio })
}

async function main(): Promise<number> {
  const { values } = parseArgs({
    options: {
      json: { type: 'boolean', default: false },
      only: { type: 'string' },
      accept: { type: 'boolean', default: false },
    },
  })
  const only = values.only?.split(',').map((name) => name.trim())
  const unknown = only?.filter((name) => !benches.some((bench) => bench.name === name)) ?? []
  if (unknown.length > 0) {
    const existing = benches.map((bench) => bench.name).join(', ')
    console.error(`There is no bench ${unknown.join(', ')}. Known: ${existing}.`)
    return 2
  }
  const baseline = readBaseline()
  const accepted: Baseline = { ...baseline }
  if (!values.json) {
    const [processor, ...more] = cpus()
    const model = processor?.model ?? 'unknown processor'
    console.log(`${more.length + 1} × ${model}, Node.js ${process.versions.node}`)
  }
  let failed = 0
  for (const bench of benches) {
    if (only && !only.includes(bench.name)) continue
    for (const result of await judged(bench, values.accept ? {} : baseline)) {
      console.log(values.json ? jsonLine(result) : line(result))
      accepted[result.figure.name] = result.ratio
      if (!result.holds) failed++
    }
  }
  if (values.accept) writeBaseline(accepted)
  return failed === 0 ? 0 : 1
}

process.exit(await main())
