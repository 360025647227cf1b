/** What is gathered of a cluster to tell what it suffers from: its events, and the logs of what is not well. */
import type { Observe } from '~/core/contract'
import { type ClusterView, nodesOf } from '~/core/fleet'
import type { Log } from '~/core/diagnosis'
import { type ApiObject, record, records, text } from '~/core/objects'

const kinds: Readonly<Record<string, string>> = { node: 'Node' }
/** So many logs of a kind, and lines of each, are read. */
const mostLogs = 40
const linesRead = 200

/** Events as the open API lists them. */
export const eventObjects = (
  events: Awaited<ReturnType<Observe['events']>>,
): readonly Readonly<Record<string, unknown>>[] =>
  events.flatMap(({ at, type, reason, about, message }) => {
    const [kind = '', first = '', second] = about.split('/')
    if (kind === 'cluster') return []
    return [
      {
        kind: 'Event',
        type,
        reason,
        message,
        lastTimestamp: at,
        involvedObject: {
          kind: kinds[kind] ?? kind,
          ...(second === undefined ? { name: first } : { namespace: first, name: second }),
        },
      },
    ]
  })

const isTroubled = (pod: ApiObject): boolean => {
  const status = record(record(pod)['status'])
  return (
    status['phase'] === 'Running' &&
    records(status['containerStatuses']).some(({ ready }) => ready === false)
  )
}

/** Logs of the control plane, of nodes that are not well or whose pods are ended, and of pods that do not answer. */
export async function logsOf(
  observe: Pick<Observe, 'nodeLog' | 'podLog'>,
  cluster: ClusterView,
  objects: readonly ApiObject[],
): Promise<readonly Log[]> {
  const pods = objects.filter((object) => object.kind === 'Pod' && isTroubled(object))
  const silent = nodesOf(cluster).filter(
    ({ conditions }) =>
      !conditions.some(({ type, status }) => type === 'Ready' && status === 'True') ||
      conditions.some(({ type, status }) => type.endsWith('Pressure') && status === 'True'),
  )
  const nodes = new Set([
    ...silent.map(({ name }) => name),
    ...pods.flatMap((pod) => text(record(record(pod)['spec'])['nodeName']) || []),
  ])
  const logs: Log[] = []
  const add = (from: string, lines: readonly string[] | null): void => {
    if (lines && lines.length > 0) logs.push({ from, lines })
  }
  add('cluster', await observe.nodeLog(cluster.name, null, linesRead))
  for (const name of [...nodes].slice(0, mostLogs))
    add(`node/${name}`, await observe.nodeLog(cluster.name, name, linesRead))
  for (const { metadata } of pods.slice(0, mostLogs)) {
    const key = `${metadata?.namespace ?? 'default'}/${metadata?.name ?? ''}`
    add(`pod/${key}`, await observe.podLog(cluster.name, key, linesRead))
  }
  return logs
}
