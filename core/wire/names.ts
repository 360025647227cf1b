/** Names as a pod or a site resolves them. */

import type { Address } from '../addresses'
import type { Place } from './hops'
import type { Endpoint, ReadyWorld, Service } from './prepared'

export interface Answer {
  readonly addresses: readonly { readonly address: Address; readonly endpoint: Endpoint | null }[]
  readonly by: string
}

export const mostNames = 8
/** A full name as a place would have it answered: by its cluster’s name service, then by its site’s records. */
export function resolveName(
  world: ReadyWorld,
  name: string,
  from: Place,
  depth = 0,
): Answer | null {
  const request = name.toLowerCase().replace(/\.$/, '')
  const { cluster, site } = from
  const suffix = cluster ? `.svc.${cluster.dnsDomain}` : ''
  if (cluster && from.pod && request.endsWith(suffix)) {
    const labels = request.slice(0, -suffix.length).split('.')
    const [service, namespace] = labels.slice(-2)
    const matchingService = cluster.services.get(`${namespace ?? ''}/${service ?? ''}`)
    if (matchingService && labels.length <= 3) {
      const answer = serviceAnswer(
        world,
        matchingService,
        from,
        depth,
        labels.length === 3 ? labels[0] : undefined,
      )
      if (answer) return answer
    }
  }
  const record = site?.records.get(request)
  return record
    ? { addresses: [{ address: record.address, endpoint: null }], by: record.name }
    : null
}

export function serviceAnswer(
  world: ReadyWorld,
  service: Service,
  from: Place,
  depth: number,
  host?: string,
): Answer | null {
  if (service.kind === 'external-name')
    return depth >= mostNames ? null : resolveName(world, service.externalName, from, depth + 1)
  if (service.kind === 'cluster')
    return host === undefined
      ? {
          addresses: service.addresses.slice(0, 1).map((address) => ({ address, endpoint: null })),
          by: service.key,
        }
      : null
  const ready = service.ready.filter(
    (endpoint) => host === undefined || endpoint.pod?.name === host,
  )
  return ready.length === 0
    ? null
    : {
        addresses: ready.map((endpoint) => ({ address: endpoint.address, endpoint })),
        by: service.key,
      }
}
