/** How copies travel: between the links of two nodes, through the rules of the site, in packets as large as the sender’s link takes. */
import type { Cluster } from '../cluster-state'
import type { Sim } from '../engine/sim'
import { obstacleTo } from '../traffic/reach'
import { copyPort, type Storage } from './state'

export interface Hindrance {
  readonly reason: 'no-link' | 'peer-unreachable' | 'packet-too-large'
  readonly from: string
  readonly to: string
  /** The largest packet each side takes, where that is what differs. */
  readonly sent: number
  readonly taken: number
  /** What stood in the way, in the words of whoever saw it. */
  readonly says: string
}

/** The link of a node to a network. */
export const linkOf = (storage: Storage, network: string, node: string) =>
  storage.networks
    .find((candidate) => candidate.name === network)
    ?.links.find((link) => link.node === node)

/** What keeps packets of full size from getting from one node to another on a network, or null. */
export function hindrance(
  sim: Sim,
  cluster: Cluster,
  storage: Storage,
  network: string,
  from: string,
  to: string,
): Hindrance | null {
  const sender = linkOf(storage, network, from)
  const receiver = linkOf(storage, network, to)
  const at = { from, to, sent: sender?.mtu ?? 0, taken: receiver?.mtu ?? 0 }
  if (!sender || !receiver)
    return { ...at, reason: 'no-link', says: `${sender ? to : from} has no link to ${network}` }
  const site = sim.site(cluster.site)
  const obstacle = site ? obstacleTo(sim, site, sender.address, receiver.address, copyPort) : null
  if (obstacle) return { ...at, reason: 'peer-unreachable', says: obstacle.stopped.says }
  if (sender.mtu > receiver.mtu)
    return {
      ...at,
      reason: 'packet-too-large',
      says: `${sender.mtu} bytes sent, none longer than ${receiver.mtu} arrived`,
    }
  return null
}

/** The nodes that keep copies or could. */
export const copyNodes = (storage: Storage): readonly string[] =>
  [...new Set(storage.disks.map((disk) => disk.node))].sort()
