/** What can be asked of a pod from inside, and what it has written: looked up, connected to, read; nothing is changed. */
import type { ProbeAnswer, ProbeKind } from '../../core/contract'
import { parseAddress } from '../../core/addresses'
import { send } from '../traffic/path'
import type { Cluster, Pod } from '../world'
import { answering } from './api'
import { isReadyPod, list, record, templateOf, text } from './manifests'
import { workloadOf } from './fits'
import { podKey } from './pod-events'
import { uniform } from '../engine/random'
import type { Sim } from '../engine/sim'

const failed = (...lines: readonly string[]): ProbeAnswer => ({ good: false, lines })

/** The service a name means from inside a namespace: short names first, as the search path has it. */
function serviceNamed(cluster: Cluster, pod: Pod, name: string) {
  const bare = name.replace(/\.$/, '').replace(/\.svc(\.cluster\.local)?$/, '')
  const [service = '', namespace = pod.namespace] = bare.split('.')
  return cluster.serviceList.find(
    (candidate) => candidate.name === service && candidate.namespace === namespace,
  )
}

const portOf = (target: string): { readonly host: string; readonly port: number | null } => {
  const bare = target.replace(/^https?:\/\//, '').split('/')[0] ?? ''
  const match = /^(.*):(\d{1,5})$/.exec(bare)
  return match
    ? { host: match[1] ?? '', port: Number(match[2]) }
    : { host: bare, port: /^https:/.test(target) ? 443 : null }
}

/** An address for a name, as the cluster’s name service and then the site’s records have it. */
function answerFor(
  sim: Sim,
  cluster: Cluster,
  pod: Pod,
  name: string,
): { readonly address: string; readonly as: string } | null {
  const service = serviceNamed(cluster, pod, name)
  if (service)
    return {
      address: service.address,
      as: `${service.name}.${service.namespace}.svc.cluster.local`,
    }
  const site = sim.site(cluster.site)
  const bare = name.replace(/\.$/, '')
  const record = site?.records.find(
    (candidate) =>
      `${candidate.name}.${site.nameDomain}` === bare &&
      (candidate.type === 'A' || candidate.type === 'AAAA'),
  )
  return record ? { address: record.value, as: bare } : null
}

/** Where a packet ended, in the words of who sent it: nobody tells a pod why. */
function silence(at: string, server: string, port: number): string {
  if (at === 'service') return `connection to ${server}:${port} refused: no ready endpoint takes it`
  if (at === 'acceptance') return `connection to ${server}:${port} refused`
  return `connection to ${server}:${port} timed out after 5 s`
}

function connect(sim: Sim, cluster: Cluster, pod: Pod, target: string): ProbeAnswer {
  const { port, host: server } = portOf(target)
  const service =
    serviceNamed(cluster, pod, server) ??
    cluster.serviceList.find((service) => service.address === server)
  if (service) {
    const wanted = port ?? service.port
    if (wanted !== service.port)
      return failed(
        `${server} is ${service.address}`,
        `connection to ${service.address}:${wanted} refused: the service listens on ${service.port}`,
      )
    const behind = cluster.running.filter(
      (otherPod) =>
        otherPod.workload === service.workload &&
        otherPod.namespace === service.namespace &&
        isReadyPod(otherPod),
    )
    const end = behind[0]
    if (service.workload !== '' && !end)
      return failed(
        `${server} is ${service.address}`,
        `no ready endpoint behind ${service.namespace}/${service.name}`,
      )
    const fare =
      service.workload === '' ? null : send(sim.world, { cluster, pod }, service.address, wanted)
    if (fare && !fare.arrived)
      return failed(`${server} is ${service.address}`, silence(fare.at, service.address, wanted))
    return {
      good: true,
      lines: [
        `${server} is ${service.address}`,
        end
          ? `connected to ${end.ip ?? ''}:${service.port} (${podKey(end)})`
          : `connected to ${service.address}:${service.port}`,
      ],
    }
  }
  const peer = cluster.running.find((otherPod) => otherPod.ip === server)
  if (peer && !isReadyPod(peer)) return failed(`${podKey(peer)} does not answer`)
  const answer = parseAddress(server).ok
    ? { address: server, as: server }
    : answerFor(sim, cluster, pod, server)
  if (answer) {
    const fare = send(sim.world, { cluster, pod }, answer.address, port ?? 443)
    const named =
      answer.as === server && answer.address === server ? [] : [`${server} is ${answer.address}`]
    return fare.arrived
      ? {
          good: true,
          lines: [
            ...named,
            `connected to ${peer ? podKey(peer) : `${answer.address}:${port ?? 443}`}, as ${fare.packet.source}`,
          ],
        }
      : failed(...named, silence(fare.at, answer.address, port ?? 443))
  }
  return failed(`${server} is not known: NXDOMAIN, asked of ${cluster.dnsAddress}`)
}

function lookUp(sim: Sim, cluster: Cluster, pod: Pod, target: string): ProbeAnswer {
  const answer = answerFor(sim, cluster, pod, target)
  if (!answer) return failed(`${target}: NXDOMAIN, asked of ${cluster.dnsAddress}`)
  return {
    good: true,
    lines: [`${target} is ${answer.address}`, `answered by ${cluster.dnsAddress} as ${answer.as}`],
  }
}

/** Asks a pod; null if the cluster does not answer or there is no such pod. */
export function probe(
  sim: Sim,
  clusterName: string,
  key: string,
  kind: ProbeKind,
  target: string,
): ProbeAnswer | null {
  const cluster = answering(sim, clusterName)
  if ('class' in cluster) return null
  const pod = cluster.running.find((pod) => podKey(pod) === key)
  const workload = pod && workloadOf(cluster, pod)
  if (!pod || !workload) return null
  if (pod.phase !== 'Running')
    return failed(`${podKey(pod)} is not running: ${pod.trouble?.reason ?? pod.waits ?? pod.phase}`)
  const api = cluster.apiAddress
  const spec = record(templateOf(workload, pod.hash)['spec'])
  const containers = list(spec['containers']).map(record)
  switch (kind) {
    case 'look-up':
      return lookUp(sim, cluster, pod, target)
    case 'connect':
      return connect(sim, cluster, pod, target)
    case 'request': {
      const result = connect(sim, cluster, pod, target)
      return result.good
        ? {
            good: true,
            lines: [
              ...result.lines,
              `200 OK in ${3 + Math.floor(uniform(sim.world.seed, `${key}${target}${sim.now}`) * 20)} ms`,
            ],
          }
        : result
    }
    case 'environment':
      return {
        good: true,
        lines: [
          `HOSTNAME=${pod.name}`,
          `KUBERNETES_SERVICE_HOST=${api}`,
          ...containers.flatMap((container) =>
            list(container['env']).map(
              (entry) =>
                `${text(record(entry)['name'])}=${record(entry)['valueFrom'] === undefined ? text(record(entry)['value']) : '(from a reference)'}`,
            ),
          ),
        ],
      }
    case 'files':
      return {
        good: true,
        lines: [
          '/var/run/secrets/kubernetes.io/serviceaccount/token (masked)',
          ...containers.flatMap((container) =>
            list(container['volumeMounts']).map(
              (entry) =>
                `${text(record(entry)['mountPath'])} from volume ${text(record(entry)['name'])}`,
            ),
          ),
        ],
      }
    case 'processes':
      return {
        good: true,
        lines: containers.map(
          (container, i) =>
            `${i + 1}  ${text(container['name'])}  since ${new Date(pod.startedAt ?? sim.now).toISOString().slice(0, 16)}Z`,
        ),
      }
  }
}

const phrases = [
  'listening on {port}',
  'ready',
  'handled {n} requests in the last minute',
  'wrote {n} readings',
  'connection pool at {n} of 40',
  'configuration read',
  'queue empty',
  'took {n} ms for a batch',
]

/** What a pod has written lately: derived from who it is and what time it is, the same whenever it is asked. */
export function podLog(
  sim: Sim,
  clusterName: string,
  key: string,
  lines: number,
): readonly string[] | null {
  const cluster = answering(sim, clusterName)
  if ('class' in cluster) return null
  const pod = cluster.running.find((pod) => podKey(pod) === key)
  if (!pod) return null
  if (pod.startedAt === null)
    return pod.trouble
      ? [
          `${new Date(sim.now).toISOString().slice(11, 19)} ${pod.trouble.reason}: ${pod.trouble.message}`,
        ]
      : []
  const workload = workloadOf(cluster, pod)
  if (workload?.ailing?.of === 'architecture')
    return [`exec /srv/${workload.name}: exec format error`]
  const started = pod.startedAt
  const stepMs = 20_000
  const last = Math.floor(sim.now / stepMs)
  const first = Math.max(Math.ceil(pod.startedAt / stepMs), last - lines + 1)
  return Array.from({ length: Math.max(0, last - first + 1) }, (_, i) => {
    const tick = first + i
    const drawn = uniform(sim.world.seed, `${key}/${tick}`)
    const phrase =
      tick * stepMs - started < stepMs
        ? phrases[0]
        : phrases[2 + Math.floor(drawn * (phrases.length - 2))]
    return `${new Date(tick * stepMs).toISOString().slice(11, 19)} ${(phrase ?? '').replace('{n}', String(Math.floor(drawn * 97) + 3)).replace('{port}', String(workload?.port ?? 8080))}`
  })
}
