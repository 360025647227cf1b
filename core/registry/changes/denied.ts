/** Whose images a registry gives to others alone: by what nodes show when they pull for a namespace. */
import {
  accessRefusal,
  type AccessRefusal,
  isAmong,
  lookedFor,
  type RegistryAccess,
} from '../../contract'
import {
  type ClusterView,
  type FleetView,
  listedObjects,
  type SiteView,
  withParts,
} from '../../fleet'
import { isOfKind } from '../../objects'
import { parseReference } from '../reference'
import { workloadOf } from './judged'

type Registry = NonNullable<SiteView['registry']>

export const openAccess: RegistryAccess = { closed: [], accounts: [] }

export const accessOf = (registry: Registry | undefined): RegistryAccess =>
  registry?.access ?? openAccess

export const registryIn = (view: FleetView, host: string): Registry | undefined =>
  view.sites.find((site) => site.registry?.host === host)?.registry

export interface Denied {
  readonly registry: string
  readonly repository: string
  readonly refusal: AccessRefusal
}

/** Why every registry that nodes ask refuses an image to a namespace, by the last that does; null where one gives it, or it is not known who holds it. */
export function deniedImage(
  view: FleetView,
  cluster: ClusterView,
  namespace: string,
  image: string,
): Denied | null {
  let denied: Denied | null = null
  for (const name of lookedFor(cluster.redirects, image)) {
    const reference = parseReference(name)
    const registry = reference ? registryIn(view, reference.host) : undefined
    if (!reference || !registry) return null
    const shown = (cluster.pullsAs ?? []).find(
      (entry) => entry.registry === registry.host && entry.namespace === namespace,
    )
    const { repository } = reference
    const now = Date.parse(view.now)
    const refusal = accessRefusal(accessOf(registry), repository, 'pull', shown ?? null, now)
    if (refusal === null) return null
    denied = { registry: registry.host, repository, refusal }
  }
  return denied
}

export interface DeniedNamespace {
  readonly cluster: string
  readonly namespace: string
  readonly workloads: readonly string[]
  readonly pods: number
}

/** Pods that could not be made anew because a registry does not give their images to their namespaces; by namespace. */
export function deniedNamespaces(view: FleetView, registry: string): readonly DeniedNamespace[] {
  const access = accessOf(registryIn(view, registry))
  if (access.closed.length === 0) return []
  const denied = new Map<string, { workloads: Set<string>; pods: number }>()
  for (const cluster of view.clusters)
    for (const pod of listedObjects(view, cluster.name)) {
      if (!isOfKind(pod, 'Pod')) continue
      const namespace = pod.metadata.namespace ?? 'default'
      const isDenied = (pod.spec?.containers ?? []).some(
        ({ image }) => deniedImage(view, cluster, namespace, image ?? '')?.registry === registry,
      )
      if (!isDenied) continue
      const key = `${cluster.name}/${namespace}`
      const entry = denied.get(key) ?? { workloads: new Set<string>(), pods: 0 }
      entry.workloads.add(workloadOf(pod))
      entry.pods++
      denied.set(key, entry)
    }
  return [...denied].map(([key, { workloads, pods }]) => {
    const [cluster = '', namespace = ''] = key.split('/')
    return { cluster, namespace, workloads: [...workloads], pods }
  })
}

/** A view in which one registry has another access. */
export const withAccess = (
  view: FleetView,
  host: string,
  edit: (access: RegistryAccess) => RegistryAccess,
): FleetView => ({
  ...view,
  sites: view.sites.map((site) =>
    site.registry?.host === host
      ? withParts(site, {
          registry: { ...site.registry, access: edit(accessOf(site.registry)) },
        })
      : site,
  ),
})

/** A view in which the nodes of a cluster show another credential for a namespace; null shows none. */
export const withShown = (
  view: FleetView,
  of: { readonly cluster: string; readonly registry: string; readonly namespace: string },
  shown: { readonly account: string; readonly round: number } | null,
): FleetView => ({
  ...view,
  clusters: view.clusters.map((cluster) =>
    cluster.name === of.cluster
      ? withParts(cluster, {
          pullsAs: [
            ...(cluster.pullsAs ?? []).filter(
              (entry) => entry.registry !== of.registry || entry.namespace !== of.namespace,
            ),
            ...(shown ? [{ registry: of.registry, namespace: of.namespace, ...shown }] : []),
          ],
        })
      : cluster,
  ),
})

/** Images that a registry holds below some repositories, each as nodes name it. */
export const imagesBelow = (
  registry: Registry,
  repositories: readonly string[],
): readonly string[] =>
  Object.entries(registry.images)
    .filter(([name]) => isAmong(repositories, name.slice(registry.host.length + 1)))
    .flatMap(([name, tags]) => tags.map((tag) => `${name}:${tag}`))
