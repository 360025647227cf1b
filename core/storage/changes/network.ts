/** The change kinds `storage.network` and `storage.link`: the network that copies travel, and what its links take. */
import { z } from 'zod'
import {
  caution,
  type ChangeKind,
  guardedCluster,
  type Proof,
  type RawFinding,
  ref,
  type Step,
  type StepResults,
  stop,
} from '../../changes'
import { command, type StorageReport } from '../../contract'
import { clusterOf, type FleetView, siteOf } from '../../fleet'
import { list, record, text } from '../../objects'
import { step } from '../../provisioning/steps'
import { countText, listText } from '../../units'
import { volumeState } from '../kept'
import { copyNodes, linkOn, type Pair } from '../pairs'
import { walkedPairs } from '../walked-pairs'
import { attachSteps, detachSteps, type Holder, holdersOf, holderText } from './holders'
import { fact, type Kept, keptOf, planOf, standing, withStorage } from './parts'
import { said } from './says'

const name = z.string().max(253)

export const networkIntent = z.strictObject({
  cluster: name,
  network: z.string().max(120),
  /** Whether what holds volumes is stopped for the time of it, and started again. */
  detach: z.boolean().default(false),
})
export type NetworkIntent = z.infer<typeof networkIntent>

const patch = (path: string, value: unknown) => ({
  patchDraft: [{ op: 'add' as const, path, value }],
})

function unknownNetwork(intent: NetworkIntent, { cluster, storage }: Kept): RawFinding | null {
  if (storage.networks.some((network) => network.name === intent.network)) return null
  return stop(
    'network.known',
    'network',
    intent.network === ''
      ? said('network.none')
      : said('network.missing', { network: intent.network }),
    [
      fact(
        cluster,
        said('networks.linked', { networks: storage.networks.map((network) => network.name) }),
      ),
    ],
    storage.networks
      .filter((network) => network.name !== storage.network)
      .map((network) => ({
        says: `Use ${network.name}`,
        change: patch('/network', network.name),
      })),
  )
}

/** The links of a network that take less than others send, by node. */
const smallLinks = (pairs: readonly Pair[]): readonly Pair[] => [
  ...new Map(
    pairs.filter((pair) => pair.state === 'too-large').map((pair) => [pair.to, pair]),
  ).values(),
]

function pairFindings(
  intent: NetworkIntent,
  { cluster, storage }: Kept,
  view: FleetView,
): readonly RawFinding[] {
  const { network } = intent
  const pairs = walkedPairs(view, storage, network)
  const without = copyNodes(storage).filter((node) => !linkOn(storage, network, node))
  const barred = pairs.filter((pair) => pair.state === 'barred')
  const findings: RawFinding[] = []
  if (without.length > 0)
    findings.push(
      stop('network.links', 'network', said('network.no-link', { nodes: without, network })),
    )
  if (barred.length > 0)
    findings.push(
      stop(
        'network.pairs',
        'network',
        said('network.barred', { pairs: barred.length, of: pairs.length, network }),
        barred
          .slice(0, 6)
          .map(({ from, to, says }) => fact(cluster, said('pair.barred', { from, to, says }))),
      ),
    )
  for (const { to, sent, taken } of smallLinks(pairs))
    findings.push({
      level: 'stop',
      rule: 'network.mtu',
      about: ref('link', cluster.name, to, network),
      ...said('network.mtu', { node: to, network, sent, taken }),
      because: [
        fact(cluster, said('link.mtu', { node: to, mtu: taken })),
        ...copyNodes(storage)
          .filter((node) => node !== to)
          .slice(0, 3)
          .map((node) =>
            fact(
              cluster,
              said('link.mtu', { node, mtu: linkOn(storage, network, node)?.mtu ?? 0 }),
            ),
          ),
      ],
      offers: [
        {
          says: `Set the link of ${to} to ${sent} bytes`,
          change: {
            kind: 'storage.link',
            intent: { cluster: cluster.name, node: to, network, mtu: sent },
          },
        },
      ],
    })
  return findings
}

const allOf = (storage: StorageReport): readonly string[] =>
  storage.volumes.map(({ name: volume }) => volume)

/** What holds volumes: named, each with its pods and owner, and the choice to stop it for the time of the change. */
function holderFindings(
  intent: NetworkIntent,
  { cluster, storage }: Kept,
  holders: readonly Holder[],
): readonly RawFinding[] {
  const bound = holders.filter((holder) => !holder.scales)
  const findings = bound.map((holder): RawFinding => ({
    level: 'stop',
    rule: 'network.bound',
    about: ref('pod', cluster.name, holder.namespace, holder.name),
    ...said('network.bound-pod', {
      volume: listText(holder.volumes),
      pod: holder.pods[0]?.pod ?? '',
      kind: holder.kind === 'Pod' ? '' : holder.kind,
    }),
    because: holder.pods.map(({ pod, node }) =>
      fact(cluster, said('pod.uses', { pod, volume: listText(holder.volumes), node })),
    ),
  }))
  const scaling = holders.filter((holder) => holder.scales)
  if (intent.detach)
    return scaling.length === 0
      ? findings
      : [
          ...findings,
          caution(
            'network.stops',
            'detach',
            said('network.stops', {
              workloads: scaling.map(holderText),
              seconds: stoppedSeconds(storage, scaling),
            }),
            scaling.map((holder) =>
              fact(
                cluster,
                said('workload.owner', { workload: holderText(holder), owner: holder.owner }),
              ),
            ),
          ),
        ]
  return [
    ...findings,
    ...scaling.flatMap((holder) =>
      holder.volumes.map((volume): RawFinding => {
        const users = storage.volumes.find((candidate) => candidate.name === volume)?.attached ?? []
        const pods = holder.pods.filter(({ pod }) => users.some((user) => user.pod === pod))
        return {
          level: 'stop',
          rule: 'network.attached',
          about: ref('volume', cluster.name, volume),
          ...said('network.attached', {
            volume,
            pods: pods.map(({ pod }) => pod),
            workload: holderText(holder),
          }),
          because: [
            ...pods.map(({ pod, node }) => fact(cluster, said('pod.uses', { pod, volume, node }))),
            fact(
              cluster,
              said('workload.owner', { workload: holderText(holder), owner: holder.owner }),
            ),
          ],
          offers: [
            {
              says: 'Stop what holds volumes for the time of it, in order, and start it again',
              change: patch('/detach', true),
            },
          ],
        }
      }),
    ),
  ]
}

const restartSeconds = { likely: 16, worst: 45 }

/** About how long what is stopped stays stopped. */
const stoppedSeconds = (storage: StorageReport, holders: readonly Holder[]): number =>
  copyNodes(storage).length * restartSeconds.likely + holders.length * 10 + 15

function check(intent: NetworkIntent, view: FleetView): readonly RawFinding[] {
  const kept = keptOf(intent.cluster, view)
  if ('findings' in kept) return kept.findings
  const { cluster, storage } = kept
  const unknown = unknownNetwork(intent, kept)
  if (unknown) return [unknown]
  const listening = storage.listens.filter((entry) => entry.network === intent.network)
  if (storage.network === intent.network && listening.length === storage.listens.length)
    return [
      {
        level: 'note',
        rule: 'network.same',
        field: 'network',
        ...said('network.same', { network: intent.network }),
        because: [
          fact(
            cluster,
            said('network.listens', { count: listening.length, network: intent.network }),
          ),
        ],
      },
    ]
  const degraded = storage.volumes.filter((volume) => volumeState(volume) !== 'whole')
  return [
    ...pairFindings(intent, kept, view),
    ...holderFindings(intent, kept, holdersOf(view, cluster.name, storage, allOf(storage))),
    ...(degraded.length === 0
      ? []
      : [
          caution(
            'network.degraded',
            'network',
            said('network.degraded', { volumes: degraded.map((volume) => volume.name) }),
            degraded.slice(0, 6).map((volume) =>
              fact(
                cluster,
                said('copies.of', {
                  volume: volume.name,
                  whole: volume.replicas.filter((copy) => copy.state === 'whole').length,
                  copies: volume.copies,
                }),
              ),
            ),
          ),
        ]),
  ]
}

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
  check,
  plan: (intent, view) => {
    const { cluster, storage } = standing(intent.cluster, view)
    const volumes = allOf(storage)
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
  const most =
    siteOf(view, cluster.site)?.networks.find((entry) => entry.name === intent.network)?.mtu ?? 1500
  if (intent.mtu > most)
    return [
      stop(
        'link.mtu',
        'mtu',
        said('link.over', { network: intent.network, mtu: intent.mtu, most }),
        [
          {
            ...said('network.mtu-is', { network: intent.network, mtu: most }),
            source: cluster.site,
          },
        ],
        [{ says: `Use ${most}`, change: patch('/mtu', most) }],
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
