/** The thread that looks at a server: asks its health again and again, and reads what its process holds. */
import { readFileSync } from 'node:fs'
import { Agent, get } from 'node:http'
import { parentPort, workerData } from 'node:worker_threads'

const { url, pid } = workerData
const agent = new Agent({ keepAlive: true, maxSockets: 1 })
const everyMs = 20

let worst = { stallMs: 0, rssMiB: 0, silent: 0 }
let asked = 0

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
  const done = (isGood) => {
    worst.stallMs = Math.max(worst.stallMs, Date.now() - asked)
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
  if (asked > 0) worst.stallMs = Math.max(worst.stallMs, Date.now() - asked)
  parentPort.postMessage({ ...worst, rssMiB: Math.max(worst.rssMiB, residentMiB()) })
  worst = { stallMs: 0, rssMiB: 0, silent: 0 }
})
