/** The server: opens Gyrarch, serves API and pages on 127.0.0.1 or where it is told, and ends cleanly. */
import { createServer } from 'node:http'
import { resolve } from 'node:path'
import { fileURLToPath } from 'node:url'
import { parseArgs } from 'node:util'
import compression from 'compression'
import express from 'express'
import pino from 'pino'
import { RouterContextProvider } from 'react-router'
import { gyrarchContext, nonceContext } from '~/app/context'
import { parseRange } from '~/core/addresses'
import { assetHeaders, headers, ownHostOnly, ownOriginOnly, secretsOwnSiteOnly } from './api/guards'
import { actingAs } from './actor'
import { apiRouter } from './api/router'
import { closeUnread } from './bodies/unread'
import { Gyrarch } from './gyrarch'
import { allowing } from './mend/outgoing/post'
import { sending } from './mend/outgoing/stand-in'
import { pageRefused, pages } from './pages/pages'
import { untilReady } from './pages/starting'
import { relayOf } from './relay/options'
import { StartRefusal } from './records/start-refusal'
import { inOwnThread } from './connectors/standin/engine-link'
import expressStaticGzip from 'express-static-gzip'

const { values } = parseArgs({
  options: {
    port: { type: 'string', default: '4600' },
    data: { type: 'string', default: 'data' },
    nodes: { type: 'string', default: '0' },
    host: { type: 'string', multiple: true, default: [] },
    listen: { type: 'string', default: '127.0.0.1' },
    fresh: { type: 'boolean', default: false },
    'notify-range': { type: 'string', multiple: true, default: [] },
    'relay-listen': { type: 'string' },
    'relay-url': { type: 'string' },
    'relay-certificate': { type: 'string' },
    'relay-key': { type: 'string' },
    'agent-image': { type: 'string' },
  },
})

const log = pino({ level: process.env['LOG_LEVEL'] ?? 'warn' }, pino.destination(2))

function wholeNumber(text: string, name: string, max: number): number {
  if (/^\d{1,7}$/.test(text) && Number(text) <= max) return Number(text)
  process.stderr.write(`--${name} ${text}: give a whole number from 0 to ${max}.\n`)
  process.exit(2)
}

const port = wholeNumber(values.port, 'port', 65_535)
const nodes = wholeNumber(values.nodes, 'nodes', 20_000)
/** Ranges inside that notices may go to. */
const notifyRanges = values['notify-range'].map((text) => {
  const read = parseRange(text)
  if (read.ok && text.includes('/')) return text
  process.stderr.write(`--notify-range ${text}: write it like 10.20.0.0/16.\n`)
  process.exit(2)
})
const onError = (error: unknown): void => log.error(error)

const app = express()
const server = createServer(app)

/** Until everything is loaded whoever asks is told to wait. */
let isReady = false
app.use(untilReady(() => isReady))

/** Takes the port first: a taken one is said before anything is loaded. */
await new Promise<void>((done) => {
  server.once('error', (error: NodeJS.ErrnoException) => {
    const says =
      error.code === 'EADDRINUSE'
        ? `Port ${port} is taken by another program. Choose one with --port, for example --port ${port + 1}.`
        : `The server could not start: ${error.message}`
    process.stderr.write(`${says}\n`)
    process.exit(1)
  })
  server.listen(port, values.listen, done)
})
const address = server.address()
const actualPort = typeof address === 'object' && address !== null ? address.port : port

process.umask(0o077)
const gyrarch = await Gyrarch.open({
  dir: resolve(values.data),
  fresh: values.fresh,
  link: inOwnThread(new URL('./engine.js', import.meta.url)),
  rehearsalEngine: () => inOwnThread(new URL('./engine.js', import.meta.url)),
  computeProcess: new URL('./compute.js', import.meta.url),
  judgeWorker: new URL('./judge.js', import.meta.url),
  partnerProcess: new URL('./partner.js', import.meta.url),
  nodes,
  post: sending(allowing(notifyRanges)),
  onError,
  keyFile: process.env['GYRARCH_KEY_FILE'],
  relay: relayOf(values),
  agent: {
    file: fileURLToPath(new URL('../agent/agent.mjs', import.meta.url)),
    ...(values['agent-image'] === undefined ? {} : { image: values['agent-image'] }),
  },
}).catch((error: unknown): never => {
  if (!(error instanceof StartRefusal)) throw error
  process.stderr.write(`${error.message}\n`)
  process.exit(1)
})
await gyrarch.fleet.view()
await gyrarch.catalogue.contents()
await gyrarch.registries.listen()
await gyrarch.clusterServers.listen()

const hosts = (): readonly string[] => [
  `127.0.0.1:${actualPort}`,
  `localhost:${actualPort}`,
  ...values.host.map((host) => host.toLowerCase()),
]

app.disable('x-powered-by')
/** Where the settings of sites say that machines call. */
const contacts = (): readonly string[] =>
  gyrarch.fleet
    .last()
    .sites.flatMap(({ gyrarchAt }) => (gyrarchAt === undefined ? [] : [new URL(gyrarchAt).host]))

app.use(closeUnread, ownHostOnly(hosts, contacts))
const client = new URL('../client/', import.meta.url).pathname
// Assets were compressed when they were built; what is answered is compressed as it goes.
app.use(
  '/assets',
  assetHeaders,
  expressStaticGzip(`${client}assets`, {
    enableBrotli: true,
    orderPreference: ['br', 'gz'],
    // Their names tell what is in them: nothing is asked again whether it is still so.
    serveStatic: { immutable: true, maxAge: '1y', etag: false, lastModified: false },
  }),
)
app.use(...headers(), ownOriginOnly(hosts), secretsOwnSiteOnly)
app.use('/api/v1', apiRouter(gyrarch, onError))
// Answers are made for one reader: a quick compression is worth more than a tight one.
app.use(compression({ level: 3 }))
app.use(express.static(client, { maxAge: '1h', index: false }))
app.use((_request, _response, next) => actingAs('person', next))
// All pages are read in before the first of them is asked for: nobody waits for that.
const build = await import('virtual:react-router/server-build')
app.use(
  pages(build, (response) => {
    const context = new RouterContextProvider()
    context.set(gyrarchContext, gyrarch)
    context.set(nonceContext, String(response.locals['nonce']))
    return context
  }),
  pageRefused(onError),
)

isReady = true
process.stdout.write(`Gyrarch is at http://127.0.0.1:${actualPort}\n`)

let ending = false
const end = (): void => {
  if (ending) return
  ending = true
  server.close()
  server.closeAllConnections()
  void gyrarch.close().then(
    () => process.exit(0),
    (error: unknown) => {
      onError(error)
      process.exit(1)
    },
  )
}
process.on('SIGINT', end)
process.on('SIGTERM', end)
