/**
 * The agent beside a cluster that cannot be dialled: it dials a relay of Gyrarch, and passes on to the API what the relay
 * asks, with the rights it was given there and no more. It reconnects for ever, and ends when it is sent away.
 */
import { parseArgs } from 'node:util'
import { WebSocket } from 'ws'
import type { Api } from './api'
import { Answering } from './answering'
import { keptIn } from './credential'
import { type Asked, closing, silentMs, subprotocol } from './protocol'

const { values } = parseArgs({
  options: { relay: { type: 'string' }, token: { type: 'string' } },
})
const { env } = process

function say(text: string): void {
  process.stderr.write(`${new Date().toISOString()} ${text}\n`)
}

function end(code: number, text: string): never {
  say(text)
  process.exit(code)
}

function needed(value: string | undefined, name: string): string {
  return value !== undefined && value !== '' ? value : end(2, `${name} is not set.`)
}

const relay = needed(values.relay ?? env['RELAY'], '--relay (or RELAY)')
const token = values.token ?? env['TOKEN'] ?? ''
const apiUrl = needed(env['API_URL'], 'API_URL')
if (!URL.canParse(apiUrl)) end(2, `API_URL ${apiUrl} is no address.`)
if (!URL.canParse(relay)) end(2, `The relay ${relay} is no address.`)
const api: Api = {
  url: new URL(apiUrl),
  tokenFile: env['API_TOKEN_FILE'] || undefined,
  caFile: env['API_CA_FILE'] || undefined,
}
const kept = keptIn(api, needed(env['STATE_DIR'], 'STATE_DIR'), env['CREDENTIAL_SECRET'])

/** How a connection ended. */
type Ending = 'lost' | 'refused' | 'dismissed'

function dial(credential: string): Promise<Ending> {
  return new Promise((resolve) => {
    const socket = new WebSocket(relay, subprotocol, {
      headers: { authorization: `Bearer ${credential}` },
      handshakeTimeout: 5000,
      followRedirects: false,
      maxPayload: 16 * 1024 ** 2,
    })
    const answering = new Answering(socket, api)
    let silence: NodeJS.Timeout | null = null
    const heard = (): void => {
      if (silence) clearTimeout(silence)
      silence = setTimeout(() => socket.terminate(), silentMs)
    }
    let ending: Ending = 'lost'
    const over = (): void => {
      if (silence) clearTimeout(silence)
      answering.end()
      resolve(ending)
    }
    heard()
    socket.on('open', () => {
      say(`connected to ${relay}`)
      heard()
    })
    socket.on('ping', heard)
    socket.on('message', (data, isBinary) => {
      heard()
      if (isBinary) return
      const asked = JSON.parse((data as Buffer).toString('utf8')) as Asked
      if (asked.type !== 'credential') {
        answering.take(asked)
        return
      }
      kept.write(asked.credential).then(
        () => socket.send(JSON.stringify({ type: 'kept' })),
        (error: unknown) => {
          say(`its credential could not be kept: ${(error as Error).message}`)
          socket.terminate()
        },
      )
    })
    socket.on('unexpected-response', (_request, response) => {
      if (response.statusCode === 401 || response.statusCode === 403) ending = 'refused'
      say(`the relay answers ${response.statusCode}`)
      response.destroy()
      socket.terminate()
      over()
    })
    socket.on('error', (error) => say(`the relay: ${error.message}`))
    socket.on('close', (code) => {
      if (code === closing.refused) ending = 'refused'
      if (code === closing.dismissed) ending = 'dismissed'
      over()
    })
  })
}

const pause = (ms: number): Promise<void> => new Promise((done) => setTimeout(done, ms))

/** The one that was kept, or the token of the first time. Null while nobody can say which. */
async function credentials(): Promise<readonly string[] | null> {
  try {
    const before = await kept.read()
    return [...(before === null ? [] : [before]), ...(token === '' ? [] : [token])]
  } catch (error) {
    say(`what it kept cannot be read yet: ${(error as Error).message}`)
    return null
  }
}

for (let wait = 250; ; wait = Math.min(4000, wait * 2)) {
  const usable = await credentials()
  if (usable !== null) {
    if (usable.length === 0) end(2, 'There is no token: start it with --token (or TOKEN).')
    let ending: Ending = 'refused'
    for (const credential of usable) {
      const began = Date.now()
      ending = await dial(credential)
      if (Date.now() - began > 10_000) wait = 125
      if (ending !== 'refused') break
    }
    if (ending === 'refused')
      end(3, 'The relay refuses it: its token was used already, or is not known. Make a new one.')
    if (ending === 'dismissed') end(4, 'The cluster was dismissed: there is nothing left to do.')
  }
  await pause(wait)
}
