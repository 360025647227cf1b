/** The change kind `storage.link`: how large a packet the link of a node to a storage network takes. */
import { z } from 'zod'
import { caution, type ChangeKind, guardedCluster, type RawFinding, ref, stop } from '../../changes'
import { command } from '../../contract'
import { clusterOf, type FleetView, siteOf } from '../../fleet'
import { step } from '../../provisioning/steps'
import { copyNodes, linkOn } from '../pairs'
import { fact, keptOf, patch, planOf, standing, withStorage } from './parts'
import { said } from './says'

const name = z.string().max(253)

export const linkIntent = z.strictObject({
  cluster: name,
  node: name,
  network: z.string().max(120),
  mtu: z.int().min(576).max(9216),
})
export type LinkIntent = z.infer<typeof linkIntent>

function linkFindings(intent: LinkIntent, view: FleetView): readonly RawFinding[] {
  const kept = keptOf(intent.cluster, view)
  if ('findings' in kept) return kept.findings
  const { cluster, storage } = kept
  if (!copyNodes(storage).includes(intent.node))
    return [
      stop(
        'link.node',
        'node',
        intent.node === '' ? said('node.none') : said('node.missing', { node: intent.node }),
        [fact(cluster, said('nodes.keep', { nodes: copyNodes(storage) }))],
      ),
    ]
  const link = linkOn(storage, intent.network, intent.node)
  if (!link)
    return [
      stop(
        'link.known',
        'network',
        said('link.missing', { node: intent.node, network: intent.network }),
        [
          fact(
            cluster,
            said('networks.linked', { networks: storage.networks.map((entry) => entry.name) }),
          ),
        ],
      ),
    ]
  const carried =
    siteOf(view, cluster.site)?.networks.find((entry) => entry.name === intent.network)?.mtu ?? 1500
  if (intent.mtu > carried)
    return [
      stop(
        'link.mtu',
        'mtu',
        said('link.over', { network: intent.network, mtu: intent.mtu, most: carried }),
        [
          {
            ...said('network.mtu-is', { network: intent.network, mtu: carried }),
            source: cluster.site,
          },
        ],
        [{ says: `Use ${carried}`, change: patch('/mtu', carried) }],
      ),
    ]
  if (link.mtu === intent.mtu)
    return [
      {
        level: 'note',
        rule: 'link.same',
        field: 'mtu',
        ...said('link.same', { node: intent.node, mtu: intent.mtu }),
        because: [],
      },
    ]
  return storage.network === intent.network
    ? [
        caution(
          'link.in-use',
          'network',
          said('link.in-use', { node: intent.node, network: intent.network }),
        ),
      ]
    : []
}

export const storageLink: ChangeKind<LinkIntent> = {
  name: 'storage.link',
  title: 'Set what a link of the storage takes',
  intent: linkIntent,
  needs: (intent) => [`cluster:${intent.cluster}`],
  subjects: (intent) => [ref('link', intent.cluster, intent.node, intent.network)],
  guardedBy: (intent, view) => guardedCluster(intent.cluster, view),
  label: (intent) =>
    `set the link of ${intent.node || 'a node'} to ${intent.network || 'a network'} to ${intent.mtu} bytes`,
  check: linkFindings,
  plan: (intent, view) => {
    const { cluster, storage } = standing(intent.cluster, view)
    const set = (mtu: number) =>
      command('storage.link', {
        cluster: intent.cluster,
        node: intent.node,
        network: intent.network,
        mtu,
      })
    return planOf(
      cluster,
      view,
      [
        step({
          id: 'set',
          after: [],
          group: intent.node,
          says: `set its link to packets of ${intent.mtu} bytes`,
          command: set(intent.mtu),
          undo: set(linkOn(storage, intent.network, intent.node)?.mtu ?? 1500),
          seconds: { likely: 5, worst: 15 },
        }),
      ],
      { alters: [ref('link', intent.cluster, intent.node, intent.network)] },
    )
  },
  prove: (intent, view) => {
    const storage = clusterOf(view, intent.cluster)?.storage
    const mtu = storage ? linkOn(storage, intent.network, intent.node)?.mtu : undefined
    return [
      {
        says: `Its link takes packets of ${intent.mtu} bytes`,
        holds: mtu === intent.mtu,
        observed: mtu === undefined ? 'no link' : `${mtu} bytes`,
      },
    ]
  },
  after: (intent, view) =>
    withStorage(view, intent.cluster, (storage) => ({
      ...storage,
      networks: storage.networks.map((network) =>
        network.name === intent.network
          ? {
              ...network,
              links: network.links.map((link) =>
                link.node === intent.node ? { ...link, mtu: intent.mtu } : link,
              ),
            }
          : network,
      ),
    })),
}
