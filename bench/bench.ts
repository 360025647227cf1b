/** `npm run bench`: how long the heavy things take. Figures, not tests: they depend on the machine. */
import { mkdtempSync, rmSync } from 'node:fs'
import { cpus, tmpdir } from 'node:os'
import { join } from 'node:path'
import { serve } from '../e2e/server'
import { openBrowser } from '../e2e/browser'
import { findingsOf } from '../core/changes'
import { carve, findOverlaps, parseCidr, parseRange } from '../core/addresses'
import type { FleetView } from '../core/fleet'
import { hallRoom } from '../core/sizing'
import { clusterRaise, raiseIntent } from '../core/provisioning'
import { placementBench } from './placement'
import { wireBench } from './wire'
import { Gyrarch } from '../server/gyrarch'
import { inThisThread } from '../server/ports/standin/engine-link'
import { demoScenario } from '../server/ports/standin/demo'
import { buildWorld, Simulator } from '../standin'

const ms = (value: number): string => `${value.toFixed(1)} ms`

/** Median and worst of `times` runs, in milliseconds. */
function measure(times: number, work: () => void): { median: number; worst: number } {
  for (let i = 0; i < 3; i++) work()
  const taken = Array.from({ length: times }, () => {
    const from = performance.now()
    work()
    return performance.now() - from
  }).sort((a, b) => a - b)
  return { median: taken[Math.floor(times / 2)] ?? 0, worst: taken[times - 1] ?? 0 }
}

function report(name: string, figure: string, aim: string): void {
  console.log(`${name.padEnd(58)} ${figure.padStart(30)}   aim: ${aim}`)
}

/** Address work on ledgers larger than anybody's: ranges of 10.0.0.0/8 drawn by a counter, one in ten overlapping. */
function addresses(): void {
  const ranges = Array.from({ length: 10_000 }, (_, i) => {
    const at = (i * 1600 + (i % 10 === 0 ? 1000 : 0)) % 2 ** 24
    return { name: `r${i}`, range: `10.${at >> 16}.${(at >> 8) & 255}.${at & 255 & ~63}/26` }
  })
  const overlaps = measure(20, () => void findOverlaps(ranges))
  report(
    'overlaps of 10,000 ranges, median (worst)',
    `${ms(overlaps.median)} (${ms(overlaps.worst)})`,
    'under 100 ms',
  )
  const within = parseCidr('10.0.0.0/8')
  if (!within.ok) throw new Error(within.says)
  const taken = ranges.flatMap(({ range }) => {
    const read = parseRange(range)
    return read.ok ? [{ text: range, range: read.value }] : []
  })
  // The ranges leave no larger block than a /22 free: every one wanted fits.
  const wanted = Array.from({ length: 1000 }, (_, i) => 22 + (i % 9))
  const carved = measure(10, () => void carve(within.value, taken, wanted))
  report(
    'carving 1,000 blocks among 10,000 ranges, median (worst)',
    `${ms(carved.median)} (${ms(carved.worst)})`,
    'under 100 ms',
  )
}

function packing(): void {
  const hosts = Array.from({ length: 9 }, (_, i) => ({
    name: `h${i}`,
    zone: `z${i % 3}`,
    cores: 32,
    memoryBytes: 256,
  }))
  const wishes = Array.from({ length: 24 }, (_, i) => ({
    name: `m${String(i).padStart(2, '0')}`,
    zone: `z${i % 3}`,
    cores: [4, 8, 8, 12][i % 4] ?? 4,
    memoryBytes: 16,
    apart: i < 3 ? 'c' : null,
  }))
  const exact = measure(20, () => void hallRoom(hosts, [], wishes, 1.5, true))
  report(
    '24 machines packed exactly onto 9 hosts, median (worst)',
    `${ms(exact.median)} (${ms(exact.worst)})`,
    'under 50 ms',
  )
}

async function draftOfHundred(): Promise<void> {
  const dir = mkdtempSync(join(tmpdir(), 'gyrarch-bench-'))
  const gyrarch = await Gyrarch.open({ dir, link: inThisThread(), clockRuns: false })
  const seen = await gyrarch.fleet.view()
  await gyrarch.close()
  rmSync(dir, { recursive: true, force: true })
  const view: FleetView = {
    ...seen,
    sites: seen.sites.map((site) =>
      site.name === 'palisade-east' ? { ...site, quotaCores: 2000 } : site,
    ),
  }
  const draft = raiseIntent.parse({
    name: 'hundred',
    site: 'palisade-east',
    release: '1.33.2',
    controlPlane: { kind: 'managed', tier: 'assured' },
    pools: [{ name: 'general', size: 'post-4-16', count: 100 }],
    ranges: { pods: '10.132.0.0/16', services: '10.133.0.0/20' },
  })
  const stops = findingsOf(clusterRaise, draft, view).filter((finding) => finding.level === 'stop')
  if (stops.length > 0)
    throw new Error(`the draft of the bench is stopped: ${stops[0]?.says ?? ''}`)
  const { median, worst } = measure(200, () => {
    findingsOf(clusterRaise, draft, view)
    clusterRaise.plan(draft, view)
  })
  report('check + plan of a draft of 100 nodes', `${ms(median)}, worst ${ms(worst)}`, 'under 20 ms')
}

function simulator(): void {
  const scenario = demoScenario()
  const start = Date.parse(scenario.start)
  const copies = Array.from({ length: 60 }, (_, i) => ({
    ...scenario.sites.find((site) => site.name === 'palisade-east'),
    name: `cloud-${i}`,
    quotaCores: null,
  }))
  const sites = copies as unknown as typeof scenario.sites
  const world = { ...scenario, sites, clusters: [], workloads: [], faults: [] }
  let events = 0
  let seconds = 0
  for (let round = 0; round < 5; round++) {
    const sim = new Simulator(buildWorld(world, round), start)
    for (const { name: site } of sites) {
      for (let i = 0; i < 60; i++)
        sim.command(`${site}/${i}`, 'machine.create', {
          site,
          name: `m-${i}`,
          zone: 'east-1',
          size: 'post-4-16',
          release: '1.33.2',
          rootDiskGb: 30,
          lifetime: 'on-demand',
          cluster: 'bench',
          apart: null,
          network: null,
          address: null,
        })
    }
    let life = 0
    const from = performance.now()
    // Whatever ends begins its next life at once: boot, stop, boot …
    while (sim.processed < 150_000) {
      sim.run(start + 1e12)
      for (const op of sim.drain().ended) {
        const next = op.verb === 'machine.boot' ? 'machine.stop' : 'machine.boot'
        sim.command(String(life++), next, { site: op.args['site'], name: op.args['name'] })
      }
    }
    seconds += (performance.now() - from) / 1000
    events += sim.processed
  }
  report(
    'simulator, machines living through boots and stops',
    `${Math.round(events / seconds).toLocaleString('en')} events/s`,
    'at least 200,000 events/s',
  )
}

async function fleetOfThousands(): Promise<void> {
  const served = await serve({ args: ['--nodes', '5000'] })
  try {
    const ask = async (path: string): Promise<number> => {
      const from = performance.now()
      await (await fetch(served.url + path)).text()
      return performance.now() - from
    }
    for (let i = 0; i < 5; i++) await ask('/fleet')
    const pages = await Promise.all([0]).then(async () => {
      const taken: number[] = []
      for (let i = 0; i < 30; i++) taken.push(await ask('/fleet'))
      return taken.sort((a, b) => a - b)
    })
    report(
      'Fleet page of 5,000 nodes, response of the server',
      `${ms(pages[15] ?? 0)}, worst ${ms(pages[29] ?? 0)}`,
      'under 150 ms',
    )
    const browser = await openBrowser()
    const taken: number[] = []
    for (let i = 0; i < 5; i++) {
      const page = await browser.newPage()
      const from = performance.now()
      await page.goto(`${served.url}/fleet`, { waitUntil: 'domcontentloaded' })
      await page.waitForFunction(() => document.documentElement.dataset['awake'] === 'yes')
      taken.push(performance.now() - from)
      await page.close()
    }
    await browser.close()
    taken.sort((a, b) => a - b)
    report(
      'Fleet page of 5,000 nodes, usable in the browser',
      `${ms(taken[2] ?? 0)}, worst ${ms(taken[4] ?? 0)}`,
      'under 1,500 ms',
    )
  } finally {
    await served.remove()
  }
}

const processors = cpus()
console.log(
  `${processors.length} × ${processors[0]?.model ?? 'unknown processor'}, Node.js ${process.versions.node}`,
)
addresses()
packing()
placementBench(report)
wireBench(report)
await draftOfHundred()
simulator()
await fleetOfThousands()
