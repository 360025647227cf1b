/** Whether every node that keeps copies reaches every other on a network, with packets as large as its link sends. */
import type { StorageReport } from '../contract'
import { compareText } from '../units'

export interface Pair {
  readonly from: string
  readonly to: string
  /** Good; one of the two has no link; a rule stands in the way; large packets do not arrive. */
  readonly state: 'good' | 'no-link' | 'barred' | 'too-large'
  /** The largest packet that the sender sends and the receiver takes; 0 without a link. */
  readonly sent: number
  readonly taken: number
  /** What bars it, in the words of the walk; empty otherwise. */
  readonly says: string
}

export interface Walked {
  readonly delivered: boolean
  readonly says: string
}

/** The nodes that keep copies, by name. */
export const copyNodes = (storage: StorageReport): readonly string[] =>
  [...new Set(storage.disks.map((disk) => disk.node))].sort(compareText)

export const linkOn = (storage: StorageReport, network: string, node: string) =>
  storage.networks
    .find((candidate) => candidate.name === network)
    ?.links.find((link) => link.node === node)

/** Every ordered pair of nodes, by sender, then receiver; `walk` sends one packet between two addresses. */
export function pairsOn(
  storage: StorageReport,
  network: string,
  walk: (from: string, to: string) => Walked,
): readonly Pair[] {
  const nodes = copyNodes(storage)
  const links = new Map(nodes.map((node) => [node, linkOn(storage, network, node)]))
  return nodes.flatMap((from) =>
    nodes.flatMap((to): Pair | readonly Pair[] => {
      if (from === to) return []
      const sender = links.get(from)
      const receiver = links.get(to)
      const ends = { from, to, sent: sender?.mtu ?? 0, taken: receiver?.mtu ?? 0, says: '' }
      if (!sender || !receiver) return { ...ends, state: 'no-link' }
      const walked = walk(sender.address, receiver.address)
      if (!walked.delivered) return { ...ends, state: 'barred', says: walked.says }
      return { ...ends, state: sender.mtu > receiver.mtu ? 'too-large' : 'good' }
    }),
  )
}
