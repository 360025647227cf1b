/** The change kind `storage.network`: copies travel another network. */
import {
  type ChangeKind,
  guardedCluster,
  type Proof,
  ref,
  type Step,
  type StepResults,
} from '../../changes'
import { command, type StorageReport } from '../../contract'
import { clusterOf, type FleetView } from '../../fleet'
import { list, record, text } from '../../objects'
import { step } from '../../provisioning/steps'
import { countText, listText } from '../../units'
import { volumeState } from '../kept'
import { copyNodes, linkOn } from '../pairs'
import { attachSteps, detachSteps, holdersOf } from './holders'
import { type NetworkIntent, networkIntent } from './network-intent'
import { networkFindings, restartSeconds, volumeNames } from './network-checks'
import { planOf, standing, withStorage } from './parts'

function restartSteps(intent: NetworkIntent, storage: StorageReport): readonly Step[] {
  const nodes = copyNodes(storage)
  return nodes.map((node, nth) =>
    step({
      id: `restart:${node}`,
      after: [nth === 0 ? 'network' : `restart:${nodes[nth - 1] ?? ''}`],
      group: node,
      says: `restart its copies on ${linkOn(storage, intent.network, node)?.address ?? intent.network}`,
      command: command('storage.restart', {
        cluster: intent.cluster,
        node,
        network: intent.network,
      }),
      undo: command('storage.restart', {
        cluster: intent.cluster,
        node,
        network: storage.listens.find((entry) => entry.node === node)?.network ?? storage.network,
      }),
      seconds: restartSeconds,
    }),
  )
}

interface Connection {
  readonly from: string
  readonly to: string
}

/** The connections that the last step saw. */
const connectionsSeen = (results: StepResults): readonly Connection[] =>
  list(results['watch']?.['connections']).map((entry) => ({
    from: text(record(entry)['from']),
    to: text(record(entry)['to']),
  }))

function prove(intent: NetworkIntent, view: FleetView, results: StepResults): readonly Proof[] {
  const storage = clusterOf(view, intent.cluster)?.storage
  if (!storage)
    return [{ says: 'Its storage answers', holds: false, observed: 'nobody told of it' }]
  const on = storage.listens.filter((entry) => entry.network === intent.network).length
  const links = storage.networks.find((network) => network.name === intent.network)?.links ?? []
  const addresses = new Set(links.map((link) => link.address))
  const seen = connectionsSeen(results)
  const outside = seen.filter(({ from, to }) => !addresses.has(from) || !addresses.has(to))
  const whole = storage.volumes.filter((volume) => volumeState(volume) === 'whole').length
  return [
    {
      says: `Every process listens on ${intent.network}`,
      holds: on === storage.listens.length,
      observed: `${on} of ${storage.listens.length}`,
    },
    {
      says: `New connections come from addresses of ${intent.network}`,
      holds: seen.length > 0 && outside.length === 0,
      observed:
        outside.length === 0
          ? `${countText(seen.length, 'connection')}, from ${listText([...new Set(seen.map(({ from }) => from))], 4)}`
          : `${countText(outside.length, 'connection')} from elsewhere: ${listText([...new Set(outside.map(({ from }) => from))], 4)}`,
    },
    {
      says: 'Every volume has all its copies',
      holds: whole === storage.volumes.length,
      observed: `${whole} of ${countText(storage.volumes.length, 'volume')}`,
    },
  ]
}

export const storageNetwork: ChangeKind<NetworkIntent> = {
  name: 'storage.network',
  title: 'Move copies to another network',
  intent: networkIntent,
  needs: (intent) => [
    `cluster:${intent.cluster}`,
    `objects:${intent.cluster}`,
    `walks:cluster/${intent.cluster}`,
  ],
  subjects: (intent) => [ref('cluster', intent.cluster)],
  guardedBy: (intent, view) => guardedCluster(intent.cluster, view),
  label: (intent) =>
    `move the copies of ${intent.cluster || 'a cluster'} to ${intent.network || 'another network'}`,
  check: networkFindings,
  plan: (intent, view) => {
    const { cluster, storage } = standing(intent.cluster, view)
    const volumes = volumeNames(storage)
    const holders = holdersOf(view, cluster.name, storage, volumes).filter(
      (holder) => holder.scales,
    )
    const ping = step({
      id: 'ping',
      after: [],
      group: intent.network,
      says: 'send packets of full size between every pair of nodes',
      command: command('storage.ping', { cluster: cluster.name, network: intent.network }),
      seconds: { likely: 14, worst: 40 },
    })
    const detach = detachSteps(cluster.name, holders, volumes, ['ping'])
    const network = step({
      id: 'network',
      after: detach.last,
      group: intent.network,
      says: `tell the storage to use ${intent.network}`,
      command: command('storage.network', { cluster: cluster.name, network: intent.network }),
      undo: command('storage.network', { cluster: cluster.name, network: storage.network }),
      seconds: { likely: 4, worst: 12 },
    })
    const restarts = restartSteps(intent, storage)
    const attach = attachSteps(cluster.name, holders, [restarts.at(-1)?.id ?? 'network'])
    const watch = step({
      id: 'watch',
      after: attach.last,
      group: intent.network,
      says: 'see where new connections come from',
      command: command('storage.watch', { cluster: cluster.name }),
      seconds: { likely: 32, worst: 60 },
    })
    return planOf(
      cluster,
      view,
      [ping, ...detach.steps, network, ...restarts, ...attach.steps, watch],
      {
        alters: [
          ref('storage', cluster.name),
          ...holders.map((holder) =>
            ref(holder.kind.toLowerCase(), cluster.name, holder.namespace, holder.name),
          ),
        ],
      },
    )
  },
  prove,
  after: (intent, view) =>
    withStorage(view, intent.cluster, (storage) => ({
      ...storage,
      network: intent.network,
      listens: storage.listens.map(({ node }) => ({ node, network: intent.network })),
    })),
}
