/** Services and their endpoint slices, as a cluster’s API lists them. */
import { isReadyPod, list, record } from '../cluster/manifests'
import type { Cluster, Service } from '../cluster-state'
import type { Simulator } from '../engine/simulator'
import { choosesPods, podsBehind, servicePorts, targetOn } from '../traffic/services'
import { withOwners } from './written'

const bareService = ({ name, namespace, port, workload }: Service) => ({
  apiVersion: 'v1',
  kind: 'Service',
  metadata: { name, namespace },
  spec: {
    type: 'ClusterIP',
    ports: [{ port }],
    ...(workload ? { selector: { app: workload } } : {}),
  },
})

/** The addresses a service was given outside, or why it waits for one. */
function balancerStatus(addresses: readonly string[], waits: string | undefined) {
  const ingress = addresses.map((ip) => ({ ip }))
  const conditions = [
    { type: 'AddressGiven', status: 'False', reason: 'NoAddress', message: waits },
  ]
  return {
    loadBalancer: ingress.length > 0 ? { ingress } : {},
    ...(waits === undefined ? {} : { conditions }),
  }
}

function serviceObject(sim: Simulator, cluster: Cluster, service: Service) {
  const key = `${service.namespace}/${service.name}`
  const written = (cluster.objects ?? []).find(
    (object) =>
      object.kind === 'Service' &&
      object.metadata.namespace === service.namespace &&
      object.metadata.name === service.name,
  )
  const object = withOwners(cluster, written ?? bareService(service), cluster.createdAt)
  const balancers = sim.site(cluster.site)?.balancers ?? []
  const fronts = balancers.filter(
    (balancer) => balancer.cluster === cluster.name && balancer.service === key,
  )
  const spec = record(object['spec'])
  const isBalanced = spec['type'] === 'LoadBalancer'
  const ports = servicePorts(cluster, service).map((port) => ({
    ...(port.name === '' ? {} : { name: port.name }),
    port: port.port,
    targetPort: port.target,
    protocol: port.protocol,
    nodePort: port.nodePort,
  }))
  const isOutside = isBalanced || spec['type'] === 'NodePort' || fronts.length > 0
  const addresses = fronts.map((front) => front.address)
  return {
    ...object,
    spec: { ...spec, clusterIP: service.address, ...(isOutside ? { ports } : {}) },
    ...(isBalanced ? { status: balancerStatus(addresses, cluster.frontsWaiting?.[key]) } : {}),
  }
}

export const serviceObjects = (
  sim: Simulator,
  cluster: Cluster,
): readonly Record<string, unknown>[] =>
  cluster.serviceList.map((service) => serviceObject(sim, cluster, service))

function endpointSlice(cluster: Cluster, service: Service) {
  const behind = podsBehind(cluster, service)
  const [first] = behind
  const portOf = (port: ReturnType<typeof servicePorts>[number]): number => {
    if (first) return targetOn(cluster, first, port)
    return typeof port.target === 'number' ? port.target : port.port
  }
  return {
    apiVersion: 'discovery.k8s.io/v1',
    kind: 'EndpointSlice',
    metadata: {
      name: `${service.name}-1`,
      namespace: service.namespace,
      labels: { 'kubernetes.io/service-name': service.name },
    },
    addressType: service.address.includes(':') ? 'IPv6' : 'IPv4',
    endpoints: behind.map((pod) => ({
      addresses: [pod.ip],
      conditions: { ready: isReadyPod(pod) },
      ...(pod.node === null ? {} : { nodeName: pod.node }),
      targetRef: { kind: 'Pod', namespace: pod.namespace, name: pod.name },
    })),
    ports: servicePorts(cluster, service).map((port) => ({
      ...(port.name === '' ? {} : { name: port.name }),
      port: portOf(port),
      protocol: port.protocol,
    })),
  }
}

/** Services that choose pods and have no address of their own. */
function headless(cluster: Cluster): readonly Service[] {
  const address = cluster.dnsAddress
  return (cluster.objects ?? []).flatMap(({ kind, metadata, spec }) => {
    const { name, namespace = 'default' } = metadata
    const { clusterIP, ports } = record(spec)
    const port = Number(record(list(ports)[0])['port'] ?? 0)
    return kind === 'Service' && clusterIP === 'None'
      ? [{ name, namespace, address, port, workload: '' }]
      : []
  })
}

export const endpointSlices = (cluster: Cluster): readonly Record<string, unknown>[] =>
  [...cluster.serviceList, ...headless(cluster)]
    .filter((service) => choosesPods(cluster, service))
    .map((service) => endpointSlice(cluster, service))
