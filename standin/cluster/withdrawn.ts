/** What pods stand on and is taken from under them: the tag of their image, the zone of their volumes, the slack of their budget. */
import type { Sim } from '../engine/sim'
import type { Cluster, Manifest, Workload } from '../world'
import { claimNamed, claimsOf } from './claims'
import { imageParts, manifestOf, objectKey, podsOf, record as fields } from './manifests'
import { store, writtenObject } from './stored'
import { loads } from './placing'
import { fillWorkload } from './controllers'
import { removePod } from './pods'
import { podKey, record } from './pod-events'
import { imageOf } from './pulling'
import type { Before } from './turned'
import { volumeName } from './volumes'

const zoneLabel = 'topology.kubernetes.io/zone'

/** A tag as it stood in its registry. */
export interface Tag {
  readonly repository: string
  readonly tag: string
  readonly digest: string | null
}

function startAnew(
  sim: Sim,
  cluster: Cluster,
  workload: Workload,
  isAsked: (pod: Cluster['running'][number]) => boolean,
): void {
  for (const pod of podsOf(cluster, workload).filter(isAsked)) {
    const about = `pod/${podKey(pod)}`
    record(sim, cluster, 'Normal', 'Killing', about, `Stopping container ${workload.name}`)
    removePod(sim, cluster, pod)
  }
  fillWorkload(sim, cluster, workload, loads(cluster))
  sim.touchCluster(cluster.name)
}

/** One pod of a workload starts anew where its image has to be pulled; or, once that can be again, those that could not. */
export function pullAnew(sim: Sim, cluster: Cluster, workload: Workload, isBroken: boolean): void {
  const [first] = podsOf(cluster, workload)
  startAnew(sim, cluster, workload, (pod) =>
    isBroken
      ? pod === first
      : pod.trouble !== undefined || (pod.node !== null && pod.startedAt === null),
  )
}

/** The tag of a workload’s image is taken out of its registry, and one of its pods starts anew where it is not held. */
export function withdrawTag(sim: Sim, cluster: Cluster, workload: Workload): Tag {
  const { repository, tag } = imageParts(imageOf(workload))
  const tags = { ...sim.world.images?.[repository] }
  const digest = tags[tag] ?? null
  delete tags[tag]
  sim.world.images = { ...sim.world.images, [repository]: tags }
  const [first] = podsOf(cluster, workload)
  startAnew(sim, cluster, workload, (pod) => pod === first)
  return { repository, tag, digest }
}

export function tagBack(
  sim: Sim,
  cluster: Cluster,
  workload: Workload,
  { repository, tag, digest }: Tag,
): void {
  if (digest !== null)
    sim.world.images = {
      ...sim.world.images,
      [repository]: { [tag]: digest, ...sim.world.images?.[repository] },
    }
  startAnew(sim, cluster, workload, (pod) => pod.trouble !== undefined)
}

/** Objects as they are once more, in the order in which they were taken. */
const were = (objects: readonly Manifest[]): Before =>
  objects.map((object) => ({ key: objectKey(object), object }))

/** The volumes of a workload are where none of its pods may be any more: somebody tied the pods to another zone. */
export function pinAway(sim: Sim, cluster: Cluster, workload: Workload): Before {
  const [pod] = podsOf(cluster, workload)
  const node = cluster.nodes.find(({ name }) => name === pod?.node)
  const zoneOf = (name: string | null): string | undefined =>
    cluster.nodes.find((each) => each.name === name)?.zone
  // The one that leaves makes room where it was: nothing but the volume stands in the way of its successor.
  const leaving = podsOf(cluster, workload).find(
    (each) => each.node !== null && zoneOf(each.node) !== node?.zone,
  )
  const elsewhere =
    zoneOf(leaving?.node ?? null) ??
    cluster.nodes.find(({ zone, pool }) => zone !== node?.zone && pool === node?.pool)?.zone
  const volumes = (pod ? claimsOf(workload, pod) : []).flatMap((name) => {
    const claim = claimNamed(cluster, workload.namespace, name)
    const held = claim && volumeName(claim)
    return (cluster.objects ?? []).filter(
      (object) => object.kind === 'PersistentVolume' && object.metadata.name === held,
    )
  })
  if (!node || elsewhere === undefined || volumes.length === 0) return []
  const before = [...volumes, manifestOf(workload)]
  for (const volume of volumes)
    store(sim, cluster, {
      ...volume,
      spec: {
        ...fields(volume['spec']),
        nodeAffinity: {
          required: {
            nodeSelectorTerms: [
              { matchExpressions: [{ key: zoneLabel, operator: 'In', values: [node.zone] }] },
            ],
          },
        },
      },
    })
  const manifest = manifestOf(workload)
  const spec = fields(manifest['spec'])
  const template = fields(spec['template'])
  const inside = fields(template['spec'])
  const tied = {
    ...inside,
    nodeSelector: { ...fields(inside['nodeSelector']), [zoneLabel]: elsewhere },
  }
  store(sim, cluster, {
    ...manifest,
    spec: { ...spec, template: { ...template, spec: tied } },
  })
  if (leaving) removePod(sim, cluster, leaving)
  rolled(sim, cluster, workload)
  return were(before)
}

/** A workload that was written anew rolls on. */
export function rolled(sim: Sim, cluster: Cluster, { namespace, name }: Workload): void {
  const now = cluster.workloads.find((each) => each.namespace === namespace && each.name === name)
  if (now) fillWorkload(sim, cluster, now, loads(cluster))
  sim.touchCluster(cluster.name)
}

/** A namespace takes only pods of the strictest level from now on, and one that is there starts anew. */
export function raiseSecurity(sim: Sim, cluster: Cluster, namespace: string): Before {
  const own = namespaceNamed(cluster, namespace)
  if (!own) return []
  const { labels } = own.metadata
  const metadata = {
    ...own.metadata,
    labels: { ...labels, 'pod-security.kubernetes.io/enforce': 'restricted' },
  }
  store(sim, cluster, { ...own, metadata })
  restartOne(sim, cluster, namespace)
  return were([own])
}

/** A namespace may hold one pod less than it does, and one of them starts anew. */
export function cutQuota(sim: Sim, cluster: Cluster, namespace: string): Before {
  const pods = cluster.running.filter(
    (pod) => pod.namespace === namespace && pod.phase !== 'Succeeded',
  )
  const quota: Manifest = {
    apiVersion: 'v1',
    kind: 'ResourceQuota',
    metadata: { namespace, name: 'pods-at-most' },
    spec: { hard: { pods: String(Math.max(0, pods.length - 1)) } },
  }
  store(sim, cluster, quota)
  restartOne(sim, cluster, namespace)
  return [{ key: objectKey(quota), object: null }]
}

/** A namespace as it was written, or as it is where nobody has written it yet. */
export const namespaceNamed = (cluster: Cluster, name: string): Manifest | undefined =>
  (cluster.objects ?? []).find(
    ({ kind, metadata }) => kind === 'Namespace' && metadata.name === name,
  ) ??
  (cluster.namespaces.includes(name)
    ? { apiVersion: 'v1', kind: 'Namespace', metadata: { name } }
    : undefined)

/** The first pod of a namespace that a deployment keeps is started anew. */
function restartOne(sim: Sim, cluster: Cluster, namespace: string): void {
  const workload = cluster.workloads.find(
    (each) =>
      each.namespace === namespace &&
      each.kind === 'Deployment' &&
      podsOf(cluster, each).length > 0,
  )
  const first = workload && podsOf(cluster, workload)[0]
  if (workload) startAnew(sim, cluster, workload, (pod) => pod === first)
}

/** A policy lets nobody in any more to the pods behind a service. */
export function closePolicy(sim: Sim, cluster: Cluster, namespace: string, name: string): Before {
  const service = writtenObject(cluster, {
    apiVersion: 'v1',
    kind: 'Service',
    metadata: { namespace, name },
  })
  const policy: Manifest = {
    apiVersion: 'networking.k8s.io/v1',
    kind: 'NetworkPolicy',
    metadata: { namespace, name: `${name}-closed` },
    spec: {
      podSelector: { matchLabels: fields(fields(service?.['spec'])['selector']) },
      policyTypes: ['Ingress'],
      ingress: [],
    },
  }
  store(sim, cluster, policy)
  sim.touchCluster(cluster.name)
  return [{ key: objectKey(policy), object: null }]
}

/** A budget that lets no pod go any more. */
export function tightenBudget(sim: Sim, cluster: Cluster, namespace: string, name: string): Before {
  const budget = budgetNamed(cluster, namespace, name)
  if (!budget) return []
  const { selector } = fields(budget['spec'])
  store(sim, cluster, { ...budget, spec: { selector, maxUnavailable: 0 } })
  sim.touchCluster(cluster.name)
  return were([budget])
}

export const budgetNamed = (
  cluster: Cluster,
  namespace: string,
  name: string,
): Manifest | undefined =>
  (cluster.objects ?? []).find(
    ({ kind, metadata }) =>
      kind === 'PodDisruptionBudget' && metadata.namespace === namespace && metadata.name === name,
  )
