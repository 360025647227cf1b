/** `npm run pictures`: takes the pictures of the main views for the documentation, from the demo data. */
import { spawn } from 'node:child_process'
import { mkdirSync, mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import puppeteer from 'puppeteer-core'
import { needChromium, needPackages, root, run } from './ready.mjs'

needPackages()
needChromium()
if (run(process.execPath, ['scripts/build.mjs']) !== 0) process.exit(1)

const dir = mkdtempSync(join(tmpdir(), 'gyrarch-pictures-'))
const port = 4699
const url = `http://127.0.0.1:${port}`
const server = spawn(
  process.execPath,
  [`${root}build/server/main.js`, '--port', String(port), '--data', dir],
  { stdio: ['ignore', 'pipe', 'inherit'], env: { ...process.env, NODE_ENV: 'production' } },
)
await new Promise((ready) =>
  server.stdout.on('data', (text) => String(text).includes('Gyrarch is at') && ready()),
)

const ask = async (method, path, body) => {
  const response = await fetch(`${url}/api/v1${path}`, {
    method,
    headers: { 'Content-Type': 'application/json' },
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  })
  return response.json()
}
const draft = async (intent, kind = 'cluster.raise') =>
  (await ask('POST', '/changes', { kind, intent })).id
const start = (id) => ask('POST', `/changes/${id}/run`, {})
const advance = (advanceSeconds) => ask('POST', '/clock', { advanceSeconds })

const elm = (disk) => ({
  name: 'elm-12',
  site: 'glasshouse-12',
  release: '1.33.2',
  controlPlane: { kind: 'own', count: 1, alsoWorkers: true },
  pools: [],
  ranges: { pods: '10.130.0.0/18', services: '10.131.0.0/20' },
  machines: [
    {
      machine: 'gh12-box',
      roles: ['control-plane', 'worker'],
      nodeName: 'elm-12-a',
      disk,
      card: 'enp1s0',
      address: '10.77.12.8/26',
    },
  ],
  sshKey: 'duty-2026',
})
const birch = {
  name: 'birch',
  site: 'mossgate',
  release: '1.33.2',
  controlPlane: { kind: 'own', count: 3 },
  pools: [{ name: 'general', size: 'rack-4', count: 3 }],
  ranges: { pods: '10.134.0.0/18', services: '10.135.0.0/20' },
}
const fernlet = {
  name: 'fernlet',
  site: 'tarn-north',
  release: '1.33.2',
  controlPlane: { kind: 'managed', tier: 'plain' },
  pools: [{ name: 'general', size: 'reed-2-8', count: 2 }],
  ranges: { pods: '10.132.0.0/18', services: '10.133.0.0/20' },
}

await ask('POST', '/clock', { speed: 0 })
const done = await draft(birch)
await start(done)
await advance(1800)
const stopped = await draft(elm('/dev/disk/by-id/ata-FIR_960_B7'))
const fewer = {
  ...fernlet,
  name: 'rush',
  site: 'palisade-east',
  pools: [{ name: 'general', size: 'post-8-32', count: 2 }],
  ranges: { pods: '10.138.0.0/18', services: '10.139.0.0/20' },
}
await draft(fewer)
await draft({
  ...fewer,
  controlPlane: { kind: 'managed', tier: 'assured' },
  pools: [{ name: 'general', size: 'post-4-16', count: 4 }],
})
await ask('POST', '/faults', {
  fault: 'image-missing',
  about: 'image/tarn-north/1.33.2',
  mode: 'permanent',
  afterSeconds: 400,
})
const halted = await draft(fernlet)
await start(halted)
await advance(1200)
const running = await draft({
  ...birch,
  name: 'rowan',
  ranges: { pods: '10.136.0.0/18', services: '10.137.0.0/20' },
  pools: [{ name: 'general', size: 'rack-4', count: 2 }],
})
await start(running)
await advance(560)
await draft({ cluster: 'cedar' }, 'cluster.takedown')
const oak = await draft({
  name: 'oak',
  site: 'mossgate',
  release: '1.33.2',
  controlPlane: { kind: 'own', count: 3, alsoWorkers: true },
  pools: [],
  ranges: { pods: '10.146.0.0/18', services: '10.147.0.0/20' },
  machines: ['a', 'b', 'c'].map((letter, i) => ({
    machine: `m-spare-${i + 1}`,
    roles: ['control-plane', 'worker'],
    nodeName: `oak-${letter}`,
    card: 'eno2',
  })),
  sshKey: 'duty-2026',
})
await start(oak)
await advance(60)
for (const machine of ['m-spare-1', 'm-spare-2'])
  await ask('POST', `/changes/${oak}/joins/${machine}/stand-in`, {})

// Who may reach whom, and a shift that has begun and will turn back.
const settle = async (kind, intent) => {
  const made = await ask('POST', '/changes', { kind, intent })
  await ask('POST', `/changes/${made.id}/run`, {
    accept: made.findings.map((finding) => finding.key),
    confirm: 'bramble',
  })
  return made.id
}
for (const [name, delivered, from] of [
  ['the desk reads the ledger', true, 'market-desk-v1'],
  ['the broker does not', false, 'broker-bot'],
]) {
  await ask('POST', '/expectations', {
    name,
    delivered,
    from: { pod: `market/${from}`, cluster: 'bramble' },
    to: { service: 'market/ledger-view', cluster: 'bramble' },
    port: 8443,
  })
}
await settle('wire.policy', {
  cluster: 'bramble',
  namespace: 'market',
  name: 'ledger-callers',
  spec: {
    podSelector: { matchLabels: { app: 'ledger-view' } },
    ingress: [
      {
        from: [
          {
            podSelector: {
              matchExpressions: [
                { key: 'app', operator: 'In', values: ['market-desk-v1', 'market-desk-v2'] },
              ],
            },
          },
        ],
        ports: [{ port: 8443 }],
      },
    ],
  },
})
await advance(60)
await ask('POST', '/faults', {
  fault: 'answers-fail',
  about: 'workload/bramble/market/market-desk-v2',
  mode: 'permanent',
  afterSeconds: 420,
})
await settle('wire.shift', {
  cluster: 'bramble',
  route: 'market/market-desk',
  weights: { 'market-desk-v1': 0, 'market-desk-v2': 1 },
  steps: 5,
  everySeconds: 180,
})
await advance(700)

const views = [
  ['fleet', '/fleet?on=node/bramble/bramble-general-2', 'light'],
  ['ground', '/ground?site=mossgate', 'light'],
  ['raise', `/raise/${stopped}`, 'light'],
  ['run', `/changes/${running}`, 'light'],
  ['run-halted', `/changes/${halted}`, 'dark'],
  ['cluster', '/clusters/cedar?on=cedar-general-3', 'light'],
  ['journal', '/journal', 'dark'],
  [
    'board',
    `/shape/board?aim=cluster/cedar&workload=StatefulSet/gathering/gathering-ledger&if=${encodeURIComponent(JSON.stringify([{ kind: 'replicas', workload: 'StatefulSet/gathering/gathering-ledger', count: 4 }]))}`,
    'light',
  ],
  [
    'workloads',
    '/shape/workloads?workload=StatefulSet/gathering/gathering-ledger&in=cedar',
    'light',
  ],
  ['scaling', '/shape/scaling?aim=cluster/bramble&scaler=bramble/climate/sensor-intake', 'light'],
  ['disks', '/store/disks?aim=cluster/cedar&lose=mossgate-c', 'light'],
  ['shipments', '/store/shipments', 'light'],
  ['support', '/renew', 'dark'],
  ['upgrade', '/renew/upgrades?cluster=burdock', 'light'],
  ['wired', '/wire?aim=cluster/bramble', 'light'],
  [
    'walk',
    '/wire/walk?aim=cluster/bramble&from=climate/climate-loop&to=weather-bureau&port=8443',
    'light',
  ],
  ['traffic', '/wire/traffic?aim=cluster/bramble&route=market/market-desk%200', 'dark'],
  ['case', '/mend', 'dark'],
]
mkdirSync(`${root}docs/screenshots`, { recursive: true })
const browser = await puppeteer.launch({
  executablePath: '/usr/bin/chromium',
  args: [
    '--headless',
    '--no-sandbox',
    '--disable-gpu',
    '--disable-quic',
    '--no-first-run',
    '--disable-background-networking',
    '--disable-component-update',
    '--disable-sync',
  ],
})
/** What breaks is broken last: the other pictures are of a fleet that is well. */
async function aCase() {
  const fault = { fault: 'gate-closes', about: 'node/bramble/bramble-general-1', mode: 'permanent' }
  await ask('POST', '/faults', fault)
  for (let minute = 0; minute < 4; minute++) await advance(60)
  const { cases } = await ask('GET', '/cases')
  const open = cases.find(({ cause }) => cause === 'webhook-blocks-system-pods')
  return `/mend/${open.id}`
}
const only = process.argv.slice(2)
for (const [name, path, scheme] of views) {
  if (only.length > 0 && !only.includes(name)) continue
  const page = await browser.newPage()
  await page.setViewport({ width: 1280, height: 800 })
  await page.emulateMediaFeatures([
    { name: 'prefers-color-scheme', value: scheme },
    { name: 'prefers-reduced-motion', value: 'reduce' },
  ])
  await page.goto(url + (name === 'case' ? await aCase() : path), { waitUntil: 'load' })
  await page.waitForFunction(() => document.documentElement.dataset.awake === 'yes')
  await page.evaluate(() => document.fonts.ready)
  await new Promise((rest) => setTimeout(rest, name === 'scaling' ? 3000 : 900))
  await page.screenshot({ path: `${root}docs/screenshots/${name}.png` })
  await page.close()
}
await browser.close()
server.kill()
await new Promise((gone) => server.on('exit', gone))
rmSync(dir, { recursive: true, force: true })
console.log(`Pictures are in docs/screenshots/.`)
