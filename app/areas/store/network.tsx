/** The network that copies travel: every pair of nodes walked and measured on it, who holds volumes, and the way to another. */
import { useNavigate, useSearchParams } from 'react-router'
import type { StorageReport } from '~/core/contract'
import { linkOn, type Pair } from '~/core/storage'
import { type Holder, holderText } from '~/core/storage/changes'
import { countText, listText } from '~/core/units'
import { gyrarchContext } from '../../context'
import { PairMatrix } from '../../drawings/pair-matrix'
import { Page } from '../../frame/page'
import { Choice } from '../../kit/choice'
import { Empty } from '../../kit/empty'
import { ChooseCluster } from '../../parts/choose-cluster'
import { DraftChange } from '../../parts/draft-change'
import { StateGlyph } from '../../parts/state'
import { To, useAddress } from '../../parts/to'
import { fleetAsked } from '../moment'
import { aimedCluster } from '../shape/tabs'
import { RowFacts } from './row-facts'
import { StoreTabs } from './tabs'
import { mostNodes, type PairsShown, pairsShown } from '~/core/storage/pairs-shown'
import type { Route } from './+types/network'
import './store.css'

export const meta: Route.MetaFunction = () => [{ title: 'Storage network · Gyrarch' }]

export async function loader({ request, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const { judges } = gyrarch
  const fleet = await fleetAsked(gyrarch, request)
  const plain = await fleet.view()
  const aimed = aimedCluster(request)
  const keeping = plain.clusters.filter((candidate) => candidate.storage).map(({ name }) => name)
  const target = plain.clusters.find((candidate) => candidate.name === aimed)
  const storage = target?.storage ?? null
  const nothing = {
    keeping,
    cluster: target?.name ?? null,
    storage,
    network: '',
    ...pairsShown([], []),
    holders: [],
  }
  if (!target || !storage) return nothing
  const search = new URL(request.url).searchParams
  const asked = search.get('network')
  const network =
    storage.networks.find(({ name }) => name === asked)?.name ??
    storage.networks.find(({ name }) => name !== storage.network)?.name ??
    storage.network
  const view = await fleet.viewFor([target.name], [`cluster/${target.name}`])
  const nodes = [search.get('from'), search.get('to')]
  const [shown, holders] = await Promise.all([
    judges.pairsShown({ cluster: target.name, network, nodes }, view),
    judges.holders(target.name, view),
  ])
  return { ...nothing, ...shown, network, holders }
}

const words: Readonly<Record<Pair['state'], string>> = {
  good: 'reached with packets of full size',
  'no-link': 'no link',
  barred: 'not reached',
  'too-large': 'large packets do not arrive',
}

function PairReason({
  cluster,
  storage,
  network,
  pair,
}: {
  readonly cluster: string
  readonly storage: StorageReport
  readonly network: string
  readonly pair: Pair
}) {
  const link = (node: string) => linkOn(storage, network, node)
  return (
    <>
      <div>
        <div className="about">
          <span className="mono">
            {pair.from} → {pair.to}
          </span>
        </div>
        <h2>
          <StateGlyph state={pair.state === 'good' ? 'well' : 'broken'} />{' '}
          {words[pair.state].replace(/^./, (first) => first.toUpperCase())}
        </h2>
        {pair.says === '' ? null : <p>{pair.says}</p>}
      </div>
      <RowFacts
        rows={[pair.from, pair.to].map((node) => ({
          key: node,
          value: link(node)
            ? `${link(node)?.address ?? ''}, ${link(node)?.mtu ?? 0} bytes`
            : 'no link',
        }))}
      />
      {pair.state === 'too-large' ? (
        <div className="acts">
          <DraftChange
            kind="storage.link"
            intent={{ cluster, node: pair.to, network, mtu: pair.sent }}
            variant="contained"
          >
            {`Set the link of ${pair.to} to ${pair.sent} bytes`}
          </DraftChange>
        </div>
      ) : null}
    </>
  )
}

function NetworkReason({
  cluster,
  storage,
  network,
  shown: { all, failing, failures },
  holders,
}: {
  readonly cluster: string
  readonly storage: StorageReport
  readonly network: string
  readonly shown: Omit<PairsShown, 'pairs'>
  readonly holders: readonly Holder[]
}) {
  const causes = failures.map(({ to, state }) => `${to}: ${words[state]}`)
  return (
    <>
      <div>
        <h2>
          <StateGlyph state={failing === 0 ? 'well' : 'strained'} />{' '}
          {failing === 0
            ? `All ${countText(all, 'pair')} reach each other`
            : `${failing} of ${countText(all, 'pair')} would fail`}
        </h2>
        <ul className="facts">
          {causes.slice(0, 5).map((cause) => (
            <li key={cause}>{cause}</li>
          ))}
        </ul>
      </div>
      <div>
        <h3>Who holds volumes now</h3>
        {holders.length === 0 ? (
          <p className="soft">Nobody: the network can be changed at once.</p>
        ) : (
          <RowFacts
            rows={holders.map((holder) => ({
              key: holderText(holder),
              value: `${listText(holder.volumes, 2)} · ${holder.owner}`,
            }))}
          />
        )}
        {holders.length === 0 ? null : (
          <p className="soft">
            While a volume is served, its copies must not lose each other. The change stops these in
            order and starts them again.
          </p>
        )}
      </div>
      {network === storage.network ? null : (
        <div className="acts">
          <DraftChange
            kind="storage.network"
            intent={{ cluster, network, detach: false }}
            variant="contained"
          >
            {`Move copies to ${network}`}
          </DraftChange>
        </div>
      )}
    </>
  )
}

function Pairs({
  storage,
  network,
  pairs,
  nodes,
  chosen,
  go,
}: {
  readonly storage: StorageReport
  readonly network: string
  readonly pairs: readonly Pair[]
  /** So many there are, shown or not. */
  readonly nodes: number
  readonly chosen: Pair | null
  readonly go: (query: Readonly<Record<string, string | null>>) => void
}) {
  return (
    <div className="store-page">
      <div className="what-if">
        <b>On</b>
        <Choice
          label="Network"
          hideLabel
          value={network}
          options={storage.networks.map(({ name }) => ({
            value: name,
            says: name === storage.network ? `${name} (in use)` : name,
          }))}
          onChange={(name) => go({ network: name, from: null, to: null })}
        />
        <span className="soft">
          every node with disks sends to every other; the figure is the packet that arrives
          {nodes > mostNodes
            ? `. Shown are ${mostNodes} of ${nodes} nodes, those with a pair that fails first`
            : ''}
        </span>
      </div>
      <PairMatrix
        pairs={pairs}
        chosen={chosen}
        onChoose={(pair) => go({ from: pair.from, to: pair.to })}
      />
    </div>
  )
}

export default function Network({ loaderData }: Route.ComponentProps) {
  const { cluster, keeping, storage, network, pairs, holders, ...shown } = loaderData
  const [search] = useSearchParams()
  const navigate = useNavigate()
  const address = useAddress()
  const go = (query: Readonly<Record<string, string | null>>): void =>
    void navigate(address('/store/network', { ...Object.fromEntries(search), ...query }), {
      preventScrollReset: true,
    })
  const chosen = pairs.find(
    (pair) => pair.from === search.get('from') && pair.to === search.get('to'),
  )
  return (
    <Page
      title="Storage network"
      beside={
        storage ? (
          <span className="soft">
            copies of {cluster} travel <span className="mono">{storage.network}</span>
          </span>
        ) : null
      }
      reason={reasonOf()}
    >
      <StoreTabs here="/store/network" />
      {body()}
    </Page>
  )

  function reasonOf() {
    if (cluster === null || !storage)
      return (
        <>
          <h2>The network under the copies</h2>
          <p className="soft">
            Whether every node reaches every other on it with packets of full size, who stands in
            the way of a change, and the change itself, proven by where new connections come from.
          </p>
        </>
      )
    if (chosen)
      return <PairReason cluster={cluster} storage={storage} network={network} pair={chosen} />
    return (
      <NetworkReason
        cluster={cluster}
        storage={storage}
        network={network}
        shown={shown}
        holders={holders}
      />
    )
  }

  function body() {
    if (cluster === null)
      return (
        <ChooseCluster
          clusters={keeping}
          path="/store/network"
          title="Whose storage network?"
          says="Copies travel between the nodes of a cluster. Point at one."
        />
      )
    if (!storage)
      return (
        <Empty title="No copies travel here" first={<To path="/store">Its claims and classes</To>}>
          {`${cluster} keeps no copies of volumes on its nodes, or its API does not answer.`}
        </Empty>
      )
    return (
      <Pairs {...{ storage, network, pairs, go }} nodes={shown.nodes} chosen={chosen ?? null} />
    )
  }
}
