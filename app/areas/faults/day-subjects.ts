/** What faults of what runs can be about: machines that carry nodes, workloads and services of clusters, rules of firewalls. */
import { type FleetView, nodesOf } from '~/core/fleet'
import { type ApiObject, record, records } from '~/core/objects'
import { breath } from '~/server/breath'

/** So many of a kind are offered. */
const mostOffered = 500
/** Clusters of more nodes than this are not listed for it. */
export const mostNodesListed = 200

const named = ({ metadata }: ApiObject): string =>
  `${metadata?.namespace ?? 'default'}/${metadata?.name ?? ''}`

const workloadKinds = new Set(['Deployment', 'StatefulSet', 'DaemonSet'])

/** Whether the pods of a workload mount volumes that outlive them. */
function hasClaims(object: ApiObject): boolean {
  if (!workloadKinds.has(object.kind)) return false
  const spec = record(record(object)['spec'])
  const template = record(spec['template'])
  const volumes = records(record(template['spec'])['volumes'])
  return (
    records(spec['volumeClaimTemplates']).length > 0 ||
    volumes.some((volume) => 'persistentVolumeClaim' in volume)
  )
}

type Listed = ReadonlyMap<string, readonly ApiObject[]>

/** What the clusters list of some kind, a cluster at a time: thousands of objects are looked through. */
async function ofKind(
  listed: Listed,
  prefix: string,
  takes: (object: ApiObject) => boolean,
  nameOf = named,
): Promise<readonly string[]> {
  const subjects: string[] = []
  for (const [cluster, objects] of listed) {
    if (subjects.length >= mostOffered) break
    for (const object of objects)
      if (takes(object)) subjects.push(`${prefix}/${cluster}/${nameOf(object)}`)
    await breath()
  }
  return subjects.slice(0, mostOffered)
}

export async function daySubjects(
  view: FleetView,
  listed: Listed,
): Promise<Readonly<Record<string, readonly string[]>>> {
  const carrying = view.clusters
    .flatMap((cluster) =>
      nodesOf(cluster).map(({ machine }) => `machine/${cluster.site}/${machine}`),
    )
    .slice(0, mostOffered)
  await breath()
  const nodes = view.clusters
    .flatMap((cluster) => nodesOf(cluster).map(({ name }) => `node/${cluster.name}/${name}`))
    .slice(0, mostOffered)
  const clusters = view.clusters.map(({ name }) => `cluster/${name}`)
  const workloads = await ofKind(listed, 'workload', ({ kind }) => workloadKinds.has(kind))
  const budgets = await ofKind(listed, 'budget', ({ kind }) => kind === 'PodDisruptionBudget')
  const mounting = await ofKind(listed, 'workload', hasClaims)
  const namespaces = await ofKind(
    listed,
    'namespace',
    // Nothing of anybody's runs in the one that every cluster begins with.
    ({ kind, metadata }) => kind === 'Namespace' && metadata?.name !== 'default',
    ({ metadata }) => metadata?.name ?? '',
  )
  const services = await ofKind(
    listed,
    'service',
    ({ kind, metadata }) => kind === 'Service' && metadata?.namespace !== 'default',
  )
  const addOns = view.clusters.flatMap(({ name, addOns: own = [] }) =>
    own.map((addOn) => `addon/${name}/${addOn.name}`),
  )
  return {
    'runtime-dies': carrying,
    'agent-stops': carrying,
    'clock-drifts': carrying,
    'host-certificate-ends': carrying,
    'disk-fills': carrying,
    'memory-fills': carrying,
    'process-ends': workloads,
    'memory-short': workloads,
    'not-answering': workloads,
    'process-hangs': workloads,
    'answers-fail': workloads,
    'tag-withdrawn': workloads,
    'registry-silent': workloads,
    'registry-denies': workloads,
    'pods-pinned': mounting,
    'volume-held': mounting,
    'budget-tightened': budgets,
    'security-raised': namespaces,
    'quota-cut': namespaces,
    'architecture-wrong': workloads,
    'members-lost': view.clusters
      .filter(({ controlPlane }) => controlPlane.kind === 'own')
      .map(({ name }) => `cluster/${name}`),
    'api-flooded': clusters,
    'selector-turned': services,
    'port-turned': services,
    'policy-closes': services,
    'gate-closes': nodes,
    'gate-slow': workloads,
    'gate-behind': clusters,
    'state-store-slow': clusters,
    'state-store-full': clusters,
    'member-silent': clusters,
    'add-on-crashes': addOns,
    'rule-switched': view.sites.flatMap((site) =>
      (site.firewall ?? []).map(({ name }) => `rule/${site.name}/${name}`),
    ),
  }
}
