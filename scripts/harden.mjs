/** `npm run harden`: what hostile requests, races, kills and days do to a built server, in figures; exits 1 on any loss. */
import { existsSync } from 'node:fs'
import { parseArgs } from 'node:util'
import { bombs } from './harden/bombs.mjs'
import { chanceOf } from './harden/chance.mjs'
import { fuzzApi, fuzzPage, operationsOf } from './harden/fuzz.mjs'
import { clusterClient, fuzzCluster, servedBy } from './harden/fuzz-clusters.mjs'
import { killFirstStarts, killRuns } from './harden/kills.mjs'
import { race } from './harden/races.mjs'
import { ask, serve, watch } from './harden/served.mjs'
import { needPackages, root, run } from './ready.mjs'

const usage = `npm run harden -- [--requests N] [--kills N] [--days N] [--seed N] [--only PART]

  --requests N  made from the API's description, the pages and the clusters' own API (default 2000)
  --kills N     at random moments, half of them of first starts (default 20)
  --days N      simulated, as fast as they go (default 2)
  --seed N      the same seed makes the same requests (default 1)
  --only PART   bombs, fuzz, races, kills or days`

const { values } = parseArgs({
  options: {
    requests: { type: 'string', default: '2000' },
    kills: { type: 'string', default: '20' },
    days: { type: 'string', default: '2' },
    seed: { type: 'string', default: '1' },
    only: { type: 'string' },
    help: { type: 'boolean', default: false },
  },
})
if (values.help) {
  console.log(usage)
  process.exit(0)
}
const [requests, kills, days, seed] = ['requests', 'kills', 'days', 'seed'].map((name) => {
  if (/^\d{1,7}$/.test(values[name])) return Number(values[name])
  console.error(`--${name} ${values[name]}: give a whole number.\n\n${usage}`)
  process.exit(2)
})

needPackages()
if (!existsSync(`${root}build/server/main.js`)) run(process.execPath, ['scripts/build.mjs'])

/** How long the server’s thread may keep health from answering, and how much one request may add to its process. */
const mostStallMs = 300
const mostGrowthMiB = 512

const failures = []
const figures = []
const figure = (name, value) => {
  figures.push([name, value])
  console.log(`${name.padEnd(52)} ${value}`)
}
const wait = (ms) => new Promise((done) => setTimeout(done, ms))

async function throwBombs() {
  const served = await serve()
  await served.ready
  const watcher = watch(served)
  await wait(3000)
  for (const bomb of bombs) {
    const body = bomb.body()
    await watcher.take()
    await wait(100)
    const before = (await watcher.take()).rssMiB
    const answer = await fetch(served.url + bomb.path, {
      method: 'POST',
      headers: { 'content-type': 'application/json', connection: 'close', ...bomb.headers },
      body,
    }).then(
      async (response) => ({ status: response.status, text: await response.text() }),
      (error) => ({ status: 0, text: String(error.cause ?? error) }),
    )
    if (bomb.thenGet && answer.status === 201)
      for (let nth = 0; nth < 3; nth++)
        await ask(served, 'GET', `/changes/${JSON.parse(answer.text).id}`)
    await wait(300)
    const { stallMs, heldMs, rssMiB, silent } = await watcher.take()
    const growth = Math.max(0, Math.round(rssMiB - before))
    figure(
      `bomb: ${bomb.name}`,
      `${answer.status}, stall ${stallMs} ms (${heldMs} held), +${growth} MiB`,
    )
    if (answer.status === 0 || answer.status === 500 || silent > 0)
      failures.push(`${bomb.name}: ${answer.status} ${answer.text.slice(0, 200)}`)
    if (heldMs > mostStallMs) failures.push(`${bomb.name}: health was held for ${heldMs} ms`)
    if (growth > mostGrowthMiB) failures.push(`${bomb.name}: the process grew by ${growth} MiB`)
  }
  await watcher.end()
  await served.remove()
}

async function fuzz() {
  const served = await serve()
  await served.ready
  await ask(served, 'POST', '/clock', { speed: 0 })
  const chance = chanceOf(seed)
  const operations = await operationsOf(served)
  const cluster = await clusterClient(served, 'bramble')
  const resources = await servedBy(cluster)
  const watcher = watch(served)
  await wait(2000)
  await watcher.take()
  const seen = new Map()
  let worst = 0
  let longest = 0
  const atOnce = 8
  for (let done = 0; done < requests; done += atOnce) {
    const answers = await Promise.all(
      Array.from({ length: atOnce }, () => {
        if (chance.is(0.25)) return fuzzCluster(cluster, resources, chance)
        return chance.is(0.7) ? fuzzApi(served, operations, chance) : fuzzPage(served, chance)
      }),
    )
    for (const { status, says } of answers) {
      seen.set(status, (seen.get(status) ?? 0) + 1)
      if (status === 0 || status >= 500) failures.push(`${status} for ${says}`)
    }
    const { stallMs, heldMs, stolenMs } = await watcher.take()
    if (heldMs > mostStallMs)
      failures.push(
        `health was held for ${heldMs} ms (the host took ${stolenMs} ms) after ${done} requests, during: ${answers.map(({ says }) => says).join(' | ')}`,
      )
    worst = Math.max(worst, heldMs)
    longest = Math.max(longest, stallMs)
  }
  figure(
    'requests',
    [...seen.values()].reduce((sum, count) => sum + count, 0),
  )
  figure(
    'answers',
    [...seen]
      .sort()
      .map(([status, count]) => `${status}: ${count}`)
      .join(', '),
  )
  figure('longest stall of health', `${longest} ms`)
  figure('longest that the server’s thread held it', `${worst} ms`)
  cluster.agent.destroy()
  await watcher.end()
  await served.remove()
}

async function races() {
  const losses = await race()
  figure('losses in races', losses.length)
  failures.push(...losses)
}

async function killed() {
  const chance = chanceOf(seed + 1)
  const firsts = Math.floor(kills / 2)
  const losses = [
    ...(await killFirstStarts(firsts, chance)),
    ...(await killRuns(kills - firsts, chance)),
  ]
  figure('kills', kills)
  figure('losses by kills', losses.length)
  failures.push(...losses)
}

/** Memory after a day and after all of them. */
async function live() {
  const served = await serve()
  await served.ready
  const watcher = watch(served)
  let first = 0
  let last = 0
  for (let hour = 1; hour <= days * 24; hour++) {
    const { status } = await ask(served, 'POST', '/clock', { advanceSeconds: 3600 })
    if (status !== 200) failures.push(`the clock answered ${status} in hour ${hour}`)
    if (hour % 24 !== 0) continue
    await watcher.take()
    await wait(3000)
    last = (await watcher.take()).rssMiB
    if (first === 0) first = last
  }
  figure('simulated days', days)
  figure('memory after the first and the last', `${Math.round(first)} and ${Math.round(last)} MiB`)
  if (last > first * 1.2)
    failures.push(`memory grew from ${Math.round(first)} to ${Math.round(last)} MiB`)
  await watcher.end()
  await served.remove()
}

const parts = { bombs: throwBombs, fuzz, races, kills: killed, days: live }
for (const [name, part] of Object.entries(parts))
  if (values.only === undefined || values.only === name) await part()

console.log(`\n${failures.length === 0 ? 'Nothing was lost.' : `${failures.length} failures:`}`)
for (const failure of failures.slice(0, 50)) console.log(`- ${failure.slice(0, 600)}`)
process.exit(failures.length === 0 ? 0 : 1)
