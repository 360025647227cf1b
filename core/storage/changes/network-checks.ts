/** What stands against moving copies to another network: links, rules on the way, packet sizes, and whoever holds a volume. */
import { caution, type RawFinding, ref, stop } from '../../changes'
import type { StorageReport } from '../../contract'
import type { FleetView } from '../../fleet'
import { listText } from '../../units'
import { volumeState } from '../kept'
import { copyNodes, linkOn, type Pair } from '../pairs'
import { walkedPairs } from '../walked-pairs'
import { type Holder, holdersOf, holderText } from './holders'
import type { NetworkIntent } from './network-intent'
import { fact, type Kept, keptOf, patch } from './parts'
import { said } from './says'

export const restartSeconds = { likely: 16, worst: 45 }

export const volumeNames = (storage: StorageReport): readonly string[] =>
  storage.volumes.map(({ name }) => name)

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

/** About how long what is stopped stays stopped. */
const stoppedSeconds = (storage: StorageReport, holders: readonly Holder[]): number =>
  copyNodes(storage).length * restartSeconds.likely + holders.length * 10 + 15

export function networkFindings(intent: NetworkIntent, view: FleetView): readonly RawFinding[] {
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
    ...holderFindings(intent, kept, holdersOf(view, cluster.name, storage, volumeNames(storage))),
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
