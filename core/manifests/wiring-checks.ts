/** Ports of nodes that are taken, and the virtual addresses that services would get. */
import type { RawFinding } from '../changes'
import { type ClusterView, type FleetView, listedObjects, siteOf } from '../fleet'
import { record } from '../objects'
import { portCollisions, type VirtualAddress, virtualAddressFor } from '../wire'
import { type ApplyIntent, liveObjects } from './apply-intent'
import { objectKey, objectText, type WrittenObject } from './parse'
import { said } from './says'

const loadBalancerOf = (
  object: WrittenObject,
): { readonly type?: string; readonly loadBalancerIP?: string } => record(object['spec'])

/**
 * The virtual addresses that services of a text would get, in their order, each beside what the others get and what runs
 * under way are promised; nothing for services that have theirs already.
 */
export function virtualAddresses(
  intent: ApplyIntent,
  objects: readonly WrittenObject[],
  cluster: ClusterView,
  view: FleetView,
): ReadonlyMap<string, VirtualAddress> {
  const site = siteOf(view, cluster.site)
  const live = liveObjects(view, intent.cluster)
  const promised = new Set(
    view.reservations
      .filter((reservation) => reservation.kind === 'address' && reservation.site === cluster.site)
      .map((reservation) => reservation.what),
  )
  const addresses = new Map<string, VirtualAddress>()
  for (const object of objects) {
    const key = `${object.metadata.namespace ?? 'default'}/${object.metadata.name}`
    const spec = loadBalancerOf(object)
    const before = record(live.get(objectKey(object)))
    if (
      object.kind !== 'Service' ||
      spec.type !== 'LoadBalancer' ||
      !site ||
      record(before['spec'])['type'] === 'LoadBalancer' ||
      site.balancers.some(
        (balancer) => balancer.cluster === cluster.name && balancer.service === key,
      )
    )
      continue
    const address = virtualAddressFor(site, cluster.name, spec.loadBalancerIP ?? null, promised)
    if (address.ok) promised.add(address.address)
    addresses.set(objectKey(object), address)
  }
  return addresses
}

/** Ports of nodes that are taken, and the virtual addresses that services would get. */
export function wiringFindings(
  intent: ApplyIntent,
  objects: readonly WrittenObject[],
  cluster: ClusterView,
  view: FleetView,
): readonly RawFinding[] {
  const apiObjects = listedObjects(view, intent.cluster)
  const virtual = virtualAddresses(intent, objects, cluster, view)
  const site = siteOf(view, cluster.site)
  const findings: RawFinding[] = []
  for (const object of objects) {
    const others = objects.filter((writtenObject) => writtenObject !== object)
    const hits = portCollisions(object, [...apiObjects, ...others])
    if (hits.length > 0)
      findings.push({
        level: 'caution',
        rule: `ports.${objectKey(object)}`,
        field: 'text',
        ...said('wants-nodes-no', {
          objectText: objectText(object),
          ports: [...new Set(hits.map((hit) => hit.port))],
          holders: [...new Set(hits.map((hit) => hit.with))],
        }),
        because: [{ ...said('host-ports-compared'), source: cluster.name, at: cluster.observedAt }],
      })
    const virtualAddress = virtual.get(objectKey(object))
    if (!virtualAddress || !site) continue
    const key = `${object.metadata.namespace ?? 'default'}/${object.metadata.name}`
    const request = loadBalancerOf(object).loadBalancerIP
    findings.push(
      virtualAddress.ok
        ? {
            level: 'note',
            rule: `virtual.${objectKey(object)}`,
            field: 'text',
            ...said('reached', { key, address: virtualAddress.address }),
            because: [
              {
                ...(request === undefined
                  ? said('lowest-free-address')
                  : said('address-asked-free')),
                source: site.name,
                at: site.observedAt,
              },
            ],
          }
        : {
            level: 'caution',
            rule: `virtual.${objectKey(object)}`,
            field: 'text',
            ...said('wait-virtual-address', { key, values: virtualAddress.says }),
            because: [
              {
                ...said('balancers', { balancersCount: site.balancers.length }),
                source: site.name,
                at: site.observedAt,
              },
            ],
          },
    )
  }
  return findings
}
