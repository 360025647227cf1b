/** A walk as far as it has come: the packet as it is now, the hops behind it, the links it went over. */
import { type Address, parseAddress } from '../addresses'
import type { Said } from '../contract'
import { type ReadyPeer, type ReadySite, type ReadyWorld } from './prepared'
import type { Decider } from './hops'
import { type Header, type Hop, type HopName, type Place, type Walk, type WalkQuery } from './hops'
import { addressOfPod, clusterNamed, podNamed, Refused, shown, sourceOf } from './places'

export class Trail {
  readonly hops: Hop[] = []
  protected readonly world: ReadyWorld
  protected readonly query: WalkQuery
  protected readonly nth: number
  readonly from: Place
  protected header: Header
  choices = 1
  protected to: Place | null = null
  protected peer: ReadyPeer | null = null
  protected begun: Header
  protected overlay = 0
  protected entering: string | null = null
  protected judged: Walk['judged'] = null
  protected readonly links: { readonly mtu: number; readonly at: string }[] = []

  constructor(world: ReadyWorld, query: WalkQuery, nth: number) {
    this.world = world
    this.query = query
    this.nth = nth
    this.from = sourceOf(world, query.from)
    this.header = {
      source: this.from.address,
      destination: this.firstDestination(),
      port: query.port,
    }
    this.begun = this.header
  }

  protected firstDestination(): Address | string {
    const { to } = this.query
    if ('name' in to) return to.name
    if ('address' in to) {
      const address = parseAddress(to.address)
      if (!address.ok) throw new Refused('to.address', address.says)
      return address.value
    }
    const cluster = clusterNamed(this.world, to.cluster, 'to.cluster')
    if ('pod' in to) return addressOfPod(cluster, podNamed(cluster, to.pod, 'to.pod'), 'to.pod')
    const service = cluster.services.get(
      to.service.includes('/') ? to.service : `default/${to.service}`,
    )
    if (!service)
      throw new Refused(
        'to.service',
        `${cluster.name} has no service ${shown(to.service)}. Write it as namespace/name.`,
      )
    const [namespace, name] = service.key.split('/')
    return service.kind === 'cluster' && service.addresses[0]
      ? service.addresses[0]
      : `${name ?? ''}.${namespace ?? ''}.svc.${cluster.dnsDomain}`
  }

  /** The hop lets the packet on, changed or not. */
  protected pass(hop: HopName, by: Decider, tell: () => Said, change: Partial<Header> = {}): void {
    const before = this.header
    this.header = Object.keys(change).length === 0 ? before : { ...before, ...change }
    this.hops.push({ hop, before, after: this.header, by, tell })
  }

  protected drop(hop: HopName, by: Decider, tell: () => Said): Walk {
    this.hops.push({ hop, before: this.header, after: null, by, tell })
    return this.end(false)
  }

  protected end(delivered: boolean): Walk {
    const [first, ...rest] = this.links
    const smallest = rest.reduce(
      (least, link) => (link.mtu < least.mtu ? link : least),
      first ?? { mtu: 0, at: '' },
    )
    return {
      delivered,
      hops: this.hops,
      from: this.from,
      to: this.to,
      peer: this.peer,
      judged: this.judged,
      entering: this.entering,
      choices: this.choices,
      mtu: first ? { smallest: smallest.mtu, at: smallest.at, overhead: this.overlay } : null,
    }
  }

  protected link(site: ReadySite | null, network: string | null): void {
    const mtu =
      site?.networks.find((candidate) => candidate.name === network)?.mtu ?? site?.given.mtu ?? null
    if (mtu !== null && site) this.links.push({ mtu, at: network ?? site.name })
  }
}
