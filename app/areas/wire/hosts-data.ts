/** What the page of hosts tells: services that are reached from outside, and the hosts that lead to services. */
import { type ClusterView, nodesOf, type SiteView } from '~/core/fleet'
import {
  type ApiObject,
  type HttpRouteObject,
  ofKind,
  record,
  records,
  type ServiceObject,
  slicesOfService,
  text,
} from '~/core/objects'

type Metadata = ApiObject['metadata']
const namespaceOf = (metadata: Metadata): string => metadata?.namespace ?? 'default'
const keyOf = (metadata: Metadata): string => `${namespaceOf(metadata)}/${metadata?.name ?? ''}`

/** Why a service has no virtual address, as its own status says. */
const whyNoAddress = (service: ServiceObject): string =>
  text(records(record(service['status'])['conditions'])[0]?.['message']) || 'waits for its site'

/** How many ready endpoints each node holds, by its name. */
function endpointsByNode(
  endpoints: readonly { readonly nodeName?: string | null | undefined }[],
): ReadonlyMap<string, number> {
  const holding = new Map<string, number>()
  for (const { nodeName } of endpoints)
    if (nodeName) holding.set(nodeName, (holding.get(nodeName) ?? 0) + 1)
  return holding
}

/** A service with a virtual address, or one that asks for it; null for any other. */
function addressedService(
  service: ServiceObject,
  objects: readonly ApiObject[],
  cluster: ClusterView,
  site: SiteView,
) {
  const key = keyOf(service.metadata)
  const balancer = site.balancers.find(
    (candidate) => candidate.cluster === cluster.name && candidate.service === key,
  )
  if (service.spec?.type !== 'LoadBalancer' && !balancer) return null
  const ready = slicesOfService(objects, key)
    .flatMap((slice) => slice.endpoints ?? [])
    .filter((endpoint) => endpoint.conditions?.ready !== false)
  const holding = endpointsByNode(ready)
  const counts = [...holding.values()]
  const local = service.spec?.externalTrafficPolicy === 'Local'
  return {
    key,
    address: balancer?.address ?? null,
    ports: balancer
      ? [balancer.port, ...(balancer.ports ?? [])]
      : (service.spec?.ports ?? []).map((port) => port.port),
    why: balancer ? '' : whyNoAddress(service),
    local,
    ready: ready.length,
    members: nodesOf(cluster).length,
    holding: [...holding].map(([node, count]) => `${node} ${count}`),
    // With Local each node that holds an endpoint gets the same share, whatever it holds.
    uneven: local && counts.length > 1 ? Math.max(...counts) / Math.min(...counts) : 1,
    made: balancer?.made === true,
  }
}

/** The services of a cluster that are reached, or ask to be reached, at a virtual address. */
export const addressedServices = (
  objects: readonly ApiObject[],
  cluster: ClusterView,
  site: SiteView,
) =>
  ofKind(objects, 'Service').flatMap(
    (service) => addressedService(service, objects, cluster, site) ?? [],
  )

export interface HostRow {
  readonly kind: 'HTTPRoute' | 'Ingress'
  /** `namespace/name` of what leads there. */
  readonly key: string
  readonly namespace: string
  readonly name: string
  readonly host: string
  readonly paths: readonly string[]
  readonly backends: readonly string[]
  /** What the site’s name server answers for the host, or null where it has no record. */
  readonly record: string | null
  readonly recordGood: boolean
}

interface Led {
  readonly host: string
  readonly paths: readonly string[]
  readonly backends: readonly string[]
}

const everyHost = 'every host'

function ledByRoute(route: HttpRouteObject): readonly Led[] {
  const rules = route.spec?.rules ?? []
  const paths = rules.flatMap((rule) =>
    (rule.matches ?? [{}]).map((match) => match.path?.value ?? '/'),
  )
  const backends = rules.flatMap((rule) => (rule.backendRefs ?? []).map((backend) => backend.name))
  return (route.spec?.hostnames ?? [everyHost]).map((host) => ({ host, paths, backends }))
}

const ledByIngress = (ingress: ApiObject): readonly Led[] =>
  records(record(ingress['spec'])['rules']).map((rule) => {
    const paths = records(record(rule['http'])['paths'])
    return {
      host: text(rule['host']) || everyHost,
      paths: paths.map((path) => text(path['path']) || '/'),
      backends: paths
        .map((path) => text(record(record(path['backend'])['service'])['name']))
        .filter((name) => name !== ''),
    }
  })

/** The hosts of a cluster: what leads each to which services, and whether its name leads to the cluster’s ingress. */
export function hostRows(
  objects: readonly ApiObject[],
  site: SiteView,
  ingress: string | null,
): readonly HostRow[] {
  const rowOf =
    (kind: HostRow['kind'], metadata: Metadata) =>
    (led: Led): HostRow => {
      const record = site.records.find(
        (candidate) => `${candidate.name}.${site.nameDomain}` === led.host,
      )
      return {
        kind,
        key: keyOf(metadata),
        namespace: namespaceOf(metadata),
        name: metadata?.name ?? '',
        ...led,
        record: record?.value ?? null,
        recordGood: record !== undefined && record.value === ingress,
      }
    }
  const routes = ofKind(objects, 'HTTPRoute').flatMap((route) =>
    ledByRoute(route).map(rowOf('HTTPRoute', route.metadata)),
  )
  const ingresses = objects
    .filter((object) => object.kind === 'Ingress')
    .flatMap((object) => ledByIngress(object).map(rowOf('Ingress', object.metadata)))
  return [...routes, ...ingresses]
}

/** The services of a cluster that a host could lead to, by namespace. */
export function reachableServices(
  objects: readonly ApiObject[],
): readonly { readonly name: string; readonly services: readonly string[] }[] {
  const services = ofKind(objects, 'Service')
  const namespaces = [...new Set(services.map(({ metadata }) => namespaceOf(metadata)))].sort()
  return namespaces.map((name) => ({
    name,
    services: services
      .filter(({ metadata, spec }) => namespaceOf(metadata) === name && spec?.clusterIP !== 'None')
      .map(({ metadata }) => metadata.name),
  }))
}
