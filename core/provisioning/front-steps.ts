/** What a cluster is reached by from outside: virtual addresses held for it, and a balancer on the first of them. */
import { command } from '../contract'
import { formatAddress, parseRange } from '../addresses'
import { ref, type StepId } from '../changes'
import type { SiteView } from '../fleet'
import type { Graph } from './machine-steps'
import { type Planned, reservationsAt } from './planned'
import { lowestFree, takenIn } from './static-addresses'
import { askRetry, estimates, step } from './steps'

const frontNetwork = (planned: Planned, site: SiteView) =>
  site.networks.find((network) =>
    planned.intent.networks.frontage === undefined
      ? network.role === 'frontage'
      : network.name === planned.intent.networks.frontage,
  )

/** The virtual addresses of a draft: those asked for; in a cloud, its lowest free one where a front is wanted. */
function virtualAddresses(planned: Planned, site: SiteView): readonly string[] {
  const { virtualAddresses: wish, frontage } = planned.intent.networks
  const range = wish === undefined || wish === '' ? null : parseRange(wish)
  if (range?.ok)
    return Array.from({ length: Number(range.value.last - range.value.first + 1n) }, (_, i) =>
      formatAddress({ family: range.value.family, value: range.value.first + BigInt(i) }),
    ).slice(0, 256)
  const network = frontNetwork(planned, site)
  if (site.kind !== 'cloud' || frontage === undefined || !network) return []
  return lowestFree(network, takenIn(network, site, reservationsAt(planned.view, site.name)), 1)
}

/** Virtual addresses held for the cluster, and a balancer on the first of them. Returns what the closing steps wait for. */
export function frontSteps(
  graph: Graph,
  planned: Planned,
  site: SiteView,
  after: readonly StepId[],
): void {
  const { intent } = planned
  const virtual = virtualAddresses(planned, site)
  const first = virtual[0]
  if (first === undefined) return
  const network = frontNetwork(planned, site)?.name ?? ''
  const name = `${intent.name}-ingress`
  graph.steps.push(
    step({
      id: 'virtual',
      after: ['register'],
      group: 'front',
      says: `hold ${virtual.length === 1 ? first : `${virtual.length} virtual addresses from ${first}`}`,
      command: command('address.hold', {
        site: site.name,
        cluster: intent.name,
        how: 'virtual',
        addresses: virtual.map((address) => ({
          address,
          network,
          for: `${intent.name} virtual`,
        })),
      }),
      undo: command('address.release', { site: site.name, addresses: virtual }),
      seconds: estimates.holdAddresses,
    }),
    step({
      id: 'balancer',
      after: ['virtual', ...after],
      group: 'front',
      says: `put ingress behind ${first}:443`,
      command: command('balancer.create', {
        site: site.name,
        cluster: intent.name,
        name,
        address: first,
        port: 443,
        service: 'platform/ingress',
      }),
      undo: command('balancer.delete', { site: site.name, name }),
      seconds: estimates.balancer,
    }),
    step({
      id: 'front',
      after: ['balancer', 'add-ons'],
      group: 'proof',
      says: `connect to ${first}:443 from outside`,
      command: command('front.try', {
        site: site.name,
        cluster: intent.name,
        name,
        nodes: planned.nodesNetwork?.name ?? '',
      }),
      seconds: estimates.askDns,
      retry: askRetry,
    }),
  )
  for (const address of virtual) {
    graph.reserves.push({ kind: 'address', site: site.name, what: address })
    graph.creates.push(ref('address', site.name, address))
  }
  graph.creates.push(ref('balancer', site.name, name))
}
