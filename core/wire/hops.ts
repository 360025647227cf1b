/** The hops of a packet, and what a walk tells of them. */

import type { Address } from '../addresses'
import { formatAddress } from '../addresses'
import type { Said } from '../contract'
import type { PodEnd, Protocol } from './policy'
import type { ReadySite, ReadyCluster, NodeEnd, ReadyPeer } from './prepared'
import type { WalkFrom, WalkTo } from './world'

export const hopNames = [
  'name',
  'policy-out',
  'service',
  'masquerade',
  'route',
  'firewall-out',
  'translation',
  'firewall-in',
  'front',
  'policy-in',
  'acceptance',
  'way-back',
] as const

export type HopName = (typeof hopNames)[number]
export interface Header {
  readonly source: Address
  /** A name until it is answered. */
  readonly destination: Address | string
  readonly port: number
}

export type Decider = string | readonly string[]
export interface Hop {
  readonly hop: HopName
  readonly before: Header
  /** Null where there is no packet any more. */
  readonly after: Header | null
  readonly by: Decider
  readonly tell: () => Said
}

/** Where an end of the packet is: what holds it, in which network of which site. */
export interface Place {
  readonly address: Address
  readonly site: ReadySite | null
  readonly network: string | null
  readonly cluster: ReadyCluster | null
  readonly node: NodeEnd | null
  /** A pod with an address of its own. */
  readonly pod: PodEnd | null
}

export interface Walk {
  readonly delivered: boolean
  readonly hops: readonly Hop[]
  readonly from: Place
  /** Where the packet ended up, if it got as far as that. */
  readonly to: Place | null
  readonly peer: ReadyPeer | null
  /** Where the source’s policies judged it to go: behind a service, the endpoint that will be chosen. */
  readonly judged: { readonly destination: Address; readonly port: number } | null
  /** The site it entered, or would have entered, from outside it. */
  readonly entering: string | null
  /** Ready endpoints there were to choose from; 1 where nothing was chosen. */
  readonly choices: number
  /** Largest packet that passes whole, by the links that are known, and what the overlay takes of it; bytes. */
  readonly mtu: { readonly smallest: number; readonly at: string; readonly overhead: number } | null
}

export type WalkRead =
  | { readonly ok: true; readonly walk: Walk }
  | { readonly ok: false; readonly path: string; readonly says: string }
export interface WalkQuery {
  readonly from: WalkFrom
  readonly to: WalkTo
  readonly port: number
  readonly protocol: Protocol
}

export const ofDefault = 'default'
export const written = (at: Address | string): string =>
  typeof at === 'string' ? at : formatAddress(at)
