/** The clusters' own API in a fleet of 5,000 nodes: pods listed in chunks, what a watch weighs, and many callers at once. */
import { Agent, get, type RequestOptions } from 'node:https'
import type { IncomingMessage } from 'node:http'
import { setTimeout as pause } from 'node:timers/promises'
import { parse } from 'yaml'
import { serve, type Served } from '../e2e/server'
import { type Figure, middle, residentMiB } from './figure'

const mostPods = 10_000
const chunk = 500
const watches = 200
const lists = 2000
const callers = 24

/** A way into the API of one cluster, by its access file. */
interface Way {
  readonly server: string
  readonly options: RequestOptions
}

interface AccessFile {
  readonly clusters: readonly {
    readonly cluster: { readonly server: string; readonly 'certificate-authority-data': string }
  }[]
  readonly users: readonly { readonly user: { readonly token: string } }[]
}

async function wayTo(served: Served, cluster: string): Promise<Way> {
  const response = await fetch(`${served.url}/api/v1/clusters/${cluster}/access`)
  const { clusters, users } = parse(await response.text()) as AccessFile
  const { server = '', 'certificate-authority-data': authority = '' } = clusters[0]?.cluster ?? {}
  const agent = new Agent({
    ca: Buffer.from(authority, 'base64'),
    keepAlive: true,
    maxSockets: Infinity,
  })
  return {
    server,
    options: { agent, headers: { authorization: `Bearer ${users[0]?.user.token ?? ''}` } },
  }
}

const asked = ({ server, options }: Way, path: string): Promise<IncomingMessage> =>
  new Promise((done, failed) => void get(server + path, options, done).once('error', failed))

interface List {
  readonly items: readonly unknown[]
  readonly metadata: { readonly continue?: string }
}

async function listed(way: Way, path: string): Promise<List> {
  const response = await asked(way, path)
  let text = ''
  for await (const part of response) text += String(part)
  if (response.statusCode !== 200) throw new Error(`${path}: ${response.statusCode} ${text}`)
  return JSON.parse(text) as List
}

/** How many pods a cluster lists, read in chunks. */
async function podsOf(way: Way): Promise<number> {
  let count = 0
  let next = ''
  do {
    const more = next === '' ? '' : `&continue=${encodeURIComponent(next)}`
    const { items, metadata } = await listed(way, `/api/v1/pods?limit=${chunk}${more}`)
    count += items.length
    next = metadata.continue ?? ''
  } while (next !== '')
  return count
}

async function listing(ways: readonly Way[]): Promise<Figure> {
  let pods = 0
  const from = performance.now()
  for (const way of ways) {
    if (pods >= mostPods) break
    pods += await podsOf(way)
  }
  const seconds = (performance.now() - from) / 1000
  return {
    name: '10,000 pods listed in chunks, in a fleet of 5,000 nodes',
    value: seconds * (mostPods / pods),
    unit: 's',
    aim: { atMost: 3 },
    detail: `${pods} pods in ${seconds.toFixed(2)} s`,
  }
}

/** Watches that are read, opened one after the other; what all of them add to the server, for each. */
async function watching(pid: number, way: Way): Promise<readonly [Figure, IncomingMessage[]]> {
  const before = residentMiB(pid)
  const open: IncomingMessage[] = []
  for (let i = 0; i < watches; i++)
    open.push(await asked(way, '/api/v1/pods?watch=true&allowWatchBookmarks=true'))
  for (const each of open) each.resume().on('error', () => undefined)
  await pause(5000)
  const each = Math.max(0, residentMiB(pid) - before) / watches
  return [
    {
      name: 'What a watch of pods weighs',
      value: each * 1024,
      unit: 'kB',
      aim: { atMost: 1024 },
    },
    open,
  ]
}

/** Lists by many callers at once, and what somebody on a page notices of them meanwhile. */
async function crowded(served: Served, way: Way, pid: number): Promise<readonly Figure[]> {
  const before = residentMiB(pid)
  const waited: number[] = []
  let left = lists
  const caller = async (): Promise<void> => {
    while (left-- > 0) await listed(way, `/api/v1/pods?limit=${chunk}`)
  }
  let isOver = false
  const page = async (): Promise<void> => {
    while (!isOver) {
      const from = performance.now()
      await (await fetch(`${served.url}/api/v1/fleet`)).text()
      waited.push(performance.now() - from)
      await pause(250)
    }
  }
  const from = performance.now()
  const looking = page()
  await Promise.all(Array.from({ length: callers }, caller))
  const seconds = (performance.now() - from) / 1000
  isOver = true
  await looking
  const sorted = [...waited].sort((a, b) => a - b)
  const late = sorted[Math.floor(sorted.length * 0.95)] ?? 0
  const beside = `${lists} lists by ${callers} callers beside ${watches} watches`
  return [
    { name: beside, value: seconds, unit: 's', aim: { atMost: 120 } },
    {
      name: `Gyrarch’s own answers beside them, 95th percentile`,
      value: late,
      unit: 'ms',
      aim: { atMost: 4000 },
      detail: `median ${middle(waited).median.toFixed(0)} ms of ${waited.length}`,
    },
    {
      name: `What ${beside} weigh`,
      value: Math.max(0, residentMiB(pid) - before) / 1024,
      unit: 'GiB',
      aim: { atMost: 0.5 },
    },
  ]
}

interface FleetTold {
  readonly sites: readonly {
    readonly clusters: readonly {
      readonly name: string
      readonly state: string
      readonly pools: readonly { readonly nodes: readonly unknown[] }[]
    }[]
  }[]
}

const told = async <T>(served: Served, path: string): Promise<T> =>
  (await (await fetch(`${served.url}/api/v1${path}`)).json()) as T

export async function serveFigures(): Promise<readonly Figure[]> {
  const served = await serve({ args: ['--nodes', '5000'] })
  try {
    const { sites } = await told<FleetTold>(served, '/fleet')
    const largest = sites
      .flatMap(({ clusters }) => clusters)
      .filter(({ state }) => state === 'well')
      .map(({ name, pools }) => ({ name, nodes: pools.flatMap((pool) => pool.nodes).length }))
      .sort((left, right) => right.nodes - left.nodes)
    const ways: Way[] = []
    let pods = 0
    for (const { name } of largest) {
      if (pods >= mostPods) break
      ways.push(await wayTo(served, name))
      pods += (await told<{ readonly podCount: number }>(served, `/clusters/${name}`)).podCount
    }
    const [first] = ways
    if (!first) throw new Error('no cluster answers')
    // Whoever asks first waits for the copy of the cluster to be made.
    for (const way of ways) await listed(way, '/api/v1/pods?limit=1')
    const pid = served.process.pid ?? 0
    const list = await listing(ways)
    const [watch, open] = await watching(pid, first)
    const crowd = await crowded(served, first, pid)
    for (const each of open) each.destroy()
    return [list, watch, ...crowd]
  } finally {
    await served.remove()
  }
}
