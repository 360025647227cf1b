/** The thread that looks at a server: asks its health again and again, and reads what its process holds. */
import { readFileSync } from 'node:fs'
import { Agent, get } from 'node:http'
import { parentPort, workerData } from 'node:worker_threads'

const { url, pid } = workerData
const agent = new Agent({ keepAlive: true, maxSockets: 1 })
const everyMs = 20

const nothing = { stallMs: 0, heldMs: 0, stolenMs: 0, rssMiB: 0, silent: 0 }

let worst = { ...nothing }
let asked = 0
let workedBefore = 0
let stolenBefore = 0

/** How long the thread that answers has worked, in ms: the time that a machine gives to others is not its own. */
const workedMs = () => {
  try {
    const [ns] = readFileSync(`/proc/${pid}/task/${pid}/schedstat`, 'utf8').split(' ')
    return Number(ns) / 1e6
  } catch {
    return Date.now()
  }
}

/** How long the machine’s host has kept its processors for itself, in ms: a thread seems to work meanwhile. */
const stolenMs = () => {
  try {
    const [ofAll = ''] = readFileSync('/proc/stat', 'utf8').split('\n', 1)
    return Number(ofAll.split(/\s+/)[8] ?? 0) * 10
  } catch {
    return 0
  }
}

/** A wait as its caller felt it, and as much of it as the server’s own thread worked. */
const waited = () => {
  const stall = Date.now() - asked
  const held = Math.round(Math.min(stall, workedMs() - workedBefore))
  worst.stallMs = Math.max(worst.stallMs, stall)
  if (held > worst.heldMs) {
    worst.heldMs = held
    worst.stolenMs = stolenMs() - stolenBefore
  }
}

const residentMiB = () => {
  try {
    const status = readFileSync(`/proc/${pid}/status`, 'utf8')
    return Number(/VmRSS:\s+(\d+)/.exec(status)?.[1] ?? 0) / 1024
  } catch {
    return 0
  }
}

function look() {
  asked = Date.now()
  workedBefore = workedMs()
  stolenBefore = stolenMs()
  const done = (isGood) => {
    waited()
    if (!isGood) worst.silent++
    asked = 0
    setTimeout(look, everyMs)
  }
  const request = get(`${url}/api/v1/health`, { agent, timeout: 60_000 }, (response) => {
    response.resume()
    response.on('end', () => done(response.statusCode === 200))
  })
  request.on('timeout', () => request.destroy(new Error('silent')))
  request.on('error', () => done(false))
}

setInterval(() => (worst.rssMiB = Math.max(worst.rssMiB, residentMiB())), everyMs)
look()

parentPort.on('message', () => {
  // One that still waits counts with what it has waited.
  if (asked > 0) waited()
  parentPort.postMessage({ ...worst, rssMiB: Math.max(worst.rssMiB, residentMiB()) })
  worst = { ...nothing }
})
