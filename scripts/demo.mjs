/** `npm run demo`: installs what is missing, builds, loads the demo scenario if there is no data yet, and starts the server. */
import { spawn } from 'node:child_process'
import { createServer } from 'node:net'
import { existsSync, readdirSync, statSync } from 'node:fs'
import { resolve } from 'node:path'
import { parseArgs } from 'node:util'
import { needPackages, root, run } from './ready.mjs'

const usage = `npm run demo -- [--port 4600] [--data DIR] [--fresh] [--nodes N] [--listen ADDRESS] [--host NAME]

  --port N     listen on 127.0.0.1:N (default 4600)
  --data DIR   keep the data in DIR (default ./data)
  --fresh      begin anew: the data in DIR is removed first
  --nodes N    with new data, enlarge the fleet to at least N nodes
  --listen A   listen at another address than 127.0.0.1
  --host NAME  answer to another host name with its port, too; may be repeated

  For agents of clusters that cannot be dialled:
  --relay-listen A:P      where they dial in (default: a port of 127.0.0.1)
  --relay-url URL         how they reach that, like wss://gyrarch.fernhollow.example:4610
  --relay-certificate F   with --relay-key F: PEM files, and the relay speaks TLS
  --agent-image NAME      the image that the agent's manifest names: any with Node.js`

/** Options that are the server’s alone. */
const passedOn = ['relay-listen', 'relay-url', 'relay-certificate', 'relay-key', 'agent-image']

function options() {
  try {
    return parseArgs({
      options: {
        port: { type: 'string', default: '4600' },
        data: { type: 'string', default: 'data' },
        fresh: { type: 'boolean', default: false },
        nodes: { type: 'string' },
        listen: { type: 'string', default: '127.0.0.1' },
        host: { type: 'string', multiple: true, default: [] },
        'notify-range': { type: 'string', multiple: true },
        ...Object.fromEntries(passedOn.map((name) => [name, { type: 'string' }])),
        help: { type: 'boolean', default: false },
      },
    }).values
  } catch (error) {
    console.error(`${error.message}\n\n${usage}`)
    process.exit(2)
  }
}

const { port, data, fresh, nodes, listen, host, help, ...others } = options()
if (help) {
  console.log(usage)
  process.exit(0)
}
for (const [name, value, most] of [
  ['port', port, 65535],
  ['nodes', nodes ?? '0', 20000],
]) {
  if (!/^\d{1,6}$/.test(value) || Number(value) > most) {
    console.error(`--${name} ${value}: give a whole number up to ${most}.`)
    process.exit(2)
  }
}

/** Said before anything is installed or removed. */
await new Promise((done) => {
  const probe = createServer()
  probe.once('error', (error) => {
    console.error(
      error.code === 'EADDRINUSE'
        ? `Port ${port} is taken by another program. Choose one with --port, for example: npm run demo -- --port ${Number(port) + 1}`
        : `Port ${port} cannot be used: ${error.message}`,
    )
    process.exit(1)
  })
  probe.listen(Number(port), listen, () => probe.close(done))
})

needPackages()

const newest = (path) => {
  const stat = statSync(path)
  return stat.isDirectory()
    ? Math.max(0, ...readdirSync(path).map((name) => newest(`${path}/${name}`)))
    : stat.mtimeMs
}
const built = `${root}build/server/main.js`
const agent = `${root}build/agent/agent.mjs`
const sources = [
  'app',
  'core',
  'demo',
  'public',
  'server',
  'agent',
  'standin',
  'workers',
  'package-lock.json',
  'vite.agent.config.ts',
  'vite.config.ts',
  'react-router.config.ts',
].map((name) => `${root}${name}`)
if (
  !existsSync(built) ||
  !existsSync(agent) ||
  Math.max(...sources.map(newest)) > statSync(built).mtimeMs
) {
  console.log('Building…')
  const status = run(process.execPath, ['scripts/build.mjs', '--quiet'])
  if (status !== 0) process.exit(status)
}

const dir = resolve(process.cwd(), data)
const isNew = fresh || !existsSync(`${dir}/standin.sqlite`)
if (!isNew && nodes !== undefined)
  console.log('The data is kept, so --nodes has no effect. To begin anew with it, add --fresh.')
console.log(isNew ? 'Loading the demo scenario…' : `Going on with the data in ${dir}.`)

const server = spawn(
  process.execPath,
  [
    built,
    ...['--port', port, '--data', dir, '--listen', listen],
    ...(fresh ? ['--fresh'] : []),
    ...(nodes === undefined ? [] : ['--nodes', nodes]),
    ...host.flatMap((name) => ['--host', name]),
    ...Object.entries(others).flatMap(([name, value]) =>
      [value].flat().flatMap((each) => [`--${name}`, each]),
    ),
  ],
  { cwd: root, stdio: 'inherit', env: { ...process.env, NODE_ENV: 'production' } },
)
for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => server.kill(signal))
server.on('exit', (code, signal) => process.exit(code ?? (signal ? 1 : 0)))
