/** What faults of what runs can be about: machines that carry nodes, workloads and services of clusters, rules of firewalls. */
import { type FleetView, nodesOf } from '~/core/fleet'
import type { ApiObject } from '~/core/objects'

/** So many of a kind are offered. */
const mostOffered = 500
/** Clusters of more nodes than this are not listed for it. */
export const mostNodesListed = 200

const named = ({ metadata }: ApiObject): string =>
  `${metadata?.namespace ?? 'default'}/${metadata?.name ?? ''}`

const workloadKinds = new Set(['Deployment', 'StatefulSet', 'DaemonSet'])

export function daySubjects(
  view: FleetView,
  listed: ReadonlyMap<string, readonly ApiObject[]>,
): Readonly<Record<string, readonly string[]>> {
  const carrying = view.clusters
    .flatMap((cluster) =>
      nodesOf(cluster).map(({ machine }) => `machine/${cluster.site}/${machine}`),
    )
    .slice(0, mostOffered)
  const nodes = view.clusters
    .flatMap((cluster) => nodesOf(cluster).map(({ name }) => `node/${cluster.name}/${name}`))
    .slice(0, mostOffered)
  const clusters = view.clusters.map(({ name }) => `cluster/${name}`)
  const ofKind = (prefix: string, takes: (object: ApiObject) => boolean): readonly string[] =>
    [...listed]
      .flatMap(([cluster, objects]) =>
        objects.filter(takes).map((object) => `${prefix}/${cluster}/${named(object)}`),
      )
      .slice(0, mostOffered)
  const workloads = ofKind('workload', ({ kind }) => workloadKinds.has(kind))
  const services = ofKind(
    'service',
    (object) => object.kind === 'Service' && object.metadata?.namespace !== 'default',
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
    'selector-turned': services,
    'port-turned': services,
    'gate-closes': nodes,
    'state-store-slow': clusters,
    'state-store-full': clusters,
    'member-silent': clusters,
    'add-on-crashes': addOns,
    'rule-switched': view.sites.flatMap((site) =>
      (site.firewall ?? []).map(({ name }) => `rule/${site.name}/${name}`),
    ),
  }
}
