/** What the objects of a cluster say of it, in the words of the contract. Nothing is read that its API does not list. */
import type {
  ClusterEvent,
  ClusterReport,
  Condition,
  NodeReport,
  ReachReport,
} from '~/core/contract'
import { isRecord, type Json, podRequest, record, records, text } from '~/core/objects'
import { parseBytes, parseCpuMilli } from '~/core/units'

/** A cluster by what it lists, wherever that was read. */
export interface ListedCluster {
  readonly name: string
  readonly release: string
  /** Where it was read. */
  readonly address: string
  /** Objects of a resource, by its name in the API. */
  readonly of: (resource: string) => readonly Json[]
}

const metadataOf = (object: Json): Json => record(object['metadata'])
const nameOf = (object: Json): string => text(metadataOf(object)['name'])

const amount = (
  read: (source: string) => ReturnType<typeof parseBytes>,
  value: unknown,
): number => {
  const parsed = read(typeof value === 'number' ? String(value) : text(value))
  return parsed.ok ? parsed.value : 0
}

/** A time as it was told; the beginning of all times where none was. */
const timeOf = (value: unknown): string =>
  Number.isNaN(Date.parse(text(value))) ? '1970-01-01T00:00:00Z' : text(value)

const roleLabel = 'node-role.kubernetes.io/'

const rolesOf = (labels: Json): readonly string[] => {
  const roles = Object.keys(labels).flatMap((key) =>
    key.startsWith(roleLabel) && key.length > roleLabel.length ? [key.slice(roleLabel.length)] : [],
  )
  return roles.includes('master') && !roles.includes('control-plane')
    ? [...roles.filter((role) => role !== 'master'), 'control-plane']
    : roles
}

/** Nodes of one pool share a label that says so, or their role. */
function poolOf(labels: Json, roles: readonly string[]): string {
  if (roles.includes('control-plane')) return 'control-plane'
  const key = Object.keys(labels)
    .sort()
    .find((each) => /(?:^|[/.-])(?:node-?)?(?:pool|group)(?:-?name)?$/i.test(each))
  const pool = key === undefined ? '' : text(labels[key])
  return pool === '' ? (roles.find((role) => role !== 'worker') ?? 'workers') : pool
}

const statuses = ['True', 'False', 'Unknown'] as const

const conditionsOf = (status: Json): readonly Condition[] =>
  records(status['conditions']).flatMap((condition) => {
    const value = statuses.find((each) => each === condition['status'])
    return value === undefined
      ? []
      : [
          {
            type: text(condition['type']),
            status: value,
            reason: text(condition['reason']),
            message: text(condition['message']),
            since: timeOf(condition['lastTransitionTime']),
          },
        ]
  })

interface Load {
  pods: number
  cpuMilli: number
  memoryBytes: number
}

function loads(pods: readonly Json[]): ReadonlyMap<string, Load> {
  const byNode = new Map<string, Load>()
  for (const pod of pods) {
    const phase = record(pod['status'])['phase']
    const node = text(record(pod['spec'])['nodeName'])
    if (node === '' || phase === 'Succeeded' || phase === 'Failed') continue
    const load = byNode.get(node) ?? { pods: 0, cpuMilli: 0, memoryBytes: 0 }
    load.pods++
    try {
      const asked = podRequest(record(pod['spec']), 'spec')
      load.cpuMilli += asked.get('cpu') ?? 0
      load.memoryBytes += asked.get('memory') ?? 0
    } catch {
      // An amount that no API takes: it counts for nothing.
    }
    byNode.set(node, load)
  }
  return byNode
}

function nodeOf(object: Json, load: Load | undefined): NodeReport {
  const metadata = metadataOf(object)
  const spec = record(object['spec'])
  const status = record(object['status'])
  const labels = record(metadata['labels'])
  const roles = rolesOf(labels)
  const capacity = record(status['capacity'])
  const allocatable = record(status['allocatable'])
  const addresses = records(status['addresses'])
  const internal = addresses.find((address) => address['type'] === 'InternalIP')
  return {
    name: nameOf(object),
    pool: poolOf(labels, roles),
    zone: text(labels['topology.kubernetes.io/zone']),
    roles,
    machine: '',
    address: text(internal?.['address']),
    release:
      /^v?(\d+\.\d+\.\d+)/.exec(text(record(status['nodeInfo'])['kubeletVersion']))?.[1] ?? '',
    conditions: conditionsOf(status),
    cordoned: spec['unschedulable'] === true,
    cpuMilli: amount(parseCpuMilli, capacity['cpu']),
    memoryBytes: amount(parseBytes, capacity['memory']),
    allocatableCpuMilli: amount(parseCpuMilli, allocatable['cpu']),
    allocatableMemoryBytes: amount(parseBytes, allocatable['memory']),
    requestedCpuMilli: load?.cpuMilli ?? 0,
    requestedMemoryBytes: load?.memoryBytes ?? 0,
    pods: load?.pods ?? 0,
    createdAt: timeOf(metadata['creationTimestamp']),
  }
}

/** Whether a service of the cluster answers names: one that selects pods that are ready on port 53. */
function dnsAnswers(reached: ListedCluster): boolean {
  return reached.of('services').some((service) => {
    const ports = records(record(service['spec'])['ports'])
    return (
      text(metadataOf(service)['namespace']) === 'kube-system' &&
      ports.some(({ port }) => port === 53)
    )
  })
}

export function reportOf(reached: ListedCluster, reach: ReachReport): ClusterReport {
  const pods = reached.of('pods')
  const byNode = loads(pods)
  const nodes = reached.of('nodes').map((node) => nodeOf(node, byNode.get(nameOf(node))))
  const members = nodes
    .filter(({ roles }) => roles.includes('control-plane'))
    .map(({ name }) => name)
  return {
    name: reached.name,
    apiAnswers: true,
    membersUp: members.length,
    members,
    release: reached.release,
    endpoint: reached.address,
    nodes,
    podCount: pods.length,
    keepSource: [],
    namespaces: reached.of('namespaces').map(nameOf),
    dnsAnswers: dnsAnswers(reached),
    restingSince: null,
    restingMachines: [],
    restingNodes: [],
    certificatesUntil: '',
    backups: [],
    addOns: [],
    apiClients: [],
    storage: null,
    reach,
  }
}

/** Newest last. */
export function eventsOf(reached: Pick<ListedCluster, 'of'>): readonly ClusterEvent[] {
  return reached
    .of('events')
    .map((event): ClusterEvent => {
      const about = record(event['involvedObject'])
      const namespace = text(about['namespace'])
      const kind = text(about['kind']).toLowerCase()
      const series = isRecord(event['series']) ? text(event['series']['lastObservedTime']) : ''
      const at =
        series ||
        text(event['lastTimestamp']) ||
        text(event['eventTime']) ||
        text(metadataOf(event)['creationTimestamp'])
      return {
        at: timeOf(at),
        type: event['type'] === 'Warning' ? 'Warning' : 'Normal',
        reason: text(event['reason']),
        about: [
          kind,
          ...(namespace === '' || kind === 'node' ? [] : [namespace]),
          text(about['name']),
        ].join('/'),
        message: text(event['message']),
      }
    })
    .sort((a, b) => (a.at < b.at ? -1 : Number(a.at > b.at)))
}
