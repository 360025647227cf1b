/** Logs of pods, as far as they are kept, and as they come. */
import type { ServerResponse } from 'node:http'
import { list, record, text } from '~/core/objects'
import type { Mirror } from './mirror'
import { ApiRefusal, notFound } from './status'
import { isAsked } from './request'
import type { Target } from './target'

export interface LogSource {
  /** Lines of a pod (`namespace/name`), oldest first; null where there is none. */
  lines(pod: string, most: number): Promise<readonly string[] | null>
  readonly now: number
}

/** As many lines as are kept of a pod, and how often a log that is followed is looked at. */
const mostLines = 2000
const lookMs = 400

/** A number of a request’s query; null where it is not given. */
function wholeOf(query: URLSearchParams, name: string): number | null {
  const given = query.get(name)
  if (given === null || given === '') return null
  if (!/^\d{1,12}$/.test(given))
    throw new ApiRefusal(400, `${name}: "${given.slice(0, 60)}" is no whole number`)
  return Number(given)
}

/** When a line was written, in ms: it begins with its time of day. */
function timeOf(line: string, now: number): number {
  const [, hours, minutes, seconds] = /^(\d\d):(\d\d):(\d\d) /.exec(line) ?? []
  if (hours === undefined) return now
  const day = Math.floor(now / 86_400_000) * 86_400_000
  const at = day + ((Number(hours) * 60 + Number(minutes)) * 60 + Number(seconds)) * 1000
  return at > now ? at - 86_400_000 : at
}

interface Wanted {
  readonly tail: number | null
  readonly sinceMs: number | null
  readonly hasTimes: boolean
  readonly bytes: number | null
}

function wantedBy(query: URLSearchParams, now: number): Wanted {
  const seconds = wholeOf(query, 'sinceSeconds')
  const sinceTime = query.get('sinceTime')
  const since = sinceTime === null ? NaN : Date.parse(sinceTime)
  if (sinceTime !== null && Number.isNaN(since))
    throw new ApiRefusal(400, `sinceTime: "${sinceTime.slice(0, 60)}" is no time`)
  const sinceMs = sinceTime === null ? null : since
  return {
    tail: wholeOf(query, 'tailLines'),
    sinceMs: seconds === null ? sinceMs : now - seconds * 1000,
    hasTimes: isAsked(query, 'timestamps'),
    bytes: wholeOf(query, 'limitBytes'),
  }
}

/** The pod of a request, with a container that it has. */
function podOf(mirror: Mirror, target: Target, query: URLSearchParams): string {
  const { name, namespace } = target
  const kept = mirror.find('Pod', namespace ?? '', name ?? '')
  if (!kept) throw notFound(target.served.resource, name ?? '')
  const names = list(record(kept.object['spec'])['containers']).map((entry) =>
    text(record(entry)['name']),
  )
  const container = query.get('container')
  if (container !== null && !names.includes(container))
    throw new ApiRefusal(
      400,
      `container ${container.slice(0, 80)} is not valid for pod ${kept.name}`,
    )
  if (container === null && names.length > 1)
    throw new ApiRefusal(
      400,
      `a container name must be specified for pod ${kept.name}, choose one of: [${names.join(' ')}]`,
    )
  if (isAsked(query, 'previous'))
    throw new ApiRefusal(
      400,
      `previous terminated container "${names[0] ?? ''}" in pod "${kept.name}" not found`,
    )
  return `${kept.namespace}/${kept.name}`
}

const written = (line: string, now: number, hasTimes: boolean): string =>
  hasTimes ? `${new Date(timeOf(line, now)).toISOString().replace('.000', '')} ${line}` : line

/** Writes the log of a pod, and goes on with it where that is asked for. */
export async function logOf(
  { mirror, logs }: { readonly mirror: Mirror; readonly logs: LogSource },
  target: Target,
  query: URLSearchParams,
  response: ServerResponse,
): Promise<void> {
  const pod = podOf(mirror, target, query)
  const wanted = wantedBy(query, logs.now)
  const all = (await logs.lines(pod, mostLines)) ?? []
  const { now } = logs
  const recent = all.filter(
    (line) => wanted.sinceMs === null || timeOf(line, now) >= wanted.sinceMs,
  )
  const shown =
    wanted.tail === null
      ? recent
      : recent.slice(recent.length - Math.min(wanted.tail, recent.length))
  response.writeHead(200, { 'Content-Type': 'text/plain; charset=utf-8' })
  const body = shown.map((line) => `${written(line, now, wanted.hasTimes)}\n`).join('')
  response.write(wanted.bytes === null ? body : Buffer.from(body).subarray(0, wanted.bytes))
  if (!isAsked(query, 'follow')) {
    response.end()
    return
  }
  response.flushHeaders()
  await follow(pod, all.at(-1) ?? null, { logs, hasTimes: wanted.hasTimes, response })
}

async function follow(
  pod: string,
  from: string | null,
  {
    logs,
    hasTimes,
    response,
  }: { readonly logs: LogSource; readonly hasTimes: boolean; readonly response: ServerResponse },
): Promise<void> {
  let last = from
  while (!response.destroyed) {
    await new Promise((done) => setTimeout(done, lookMs))
    const lines = await logs.lines(pod, 200).catch(() => null)
    if (lines === null) break
    const at = last === null ? -1 : lines.lastIndexOf(last)
    for (const line of lines.slice(at + 1)) response.write(`${written(line, logs.now, hasTimes)}\n`)
    last = lines.at(-1) ?? last
    if (response.writableNeedDrain)
      await new Promise<void>((done) => {
        response.once('drain', done)
        response.once('close', done)
      })
  }
  response.end()
}
