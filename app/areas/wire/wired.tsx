/** What is wired: the way from outside to a pod and back as it is set up now, with who made each part and how full it is. */
import {
  type ClusterView,
  type FleetView,
  listedObjects,
  nodesOf,
  type SiteView,
  trafficIn,
} from '~/core/fleet'
import { ofKind } from '~/core/objects'
import { countText, listText, numberText } from '~/core/units'
import { expectations } from '~/core/wire'
import { poolFill, type Wired } from '~/core/wire/changes'
import { wiredWithMakers } from '~/server/wire/wired'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { StateGlyph } from '../../parts/state'
import { type Column, Table } from '../../kit/table/table'
import { To } from '../../parts/to'
import { ChooseCluster } from '../../parts/choose-cluster'
import { WireTabs } from './tabs'
import { aimed } from './wire-data'
import './wire.css'
import { fleetAsked } from '../moment'
import type { Route } from './+types/wired'

export const meta: Route.MetaFunction = () => [{ title: 'What is wired · Gyrarch' }]

/** Calls of a cluster that fail now, and where. */
const failingCalls = (view: FleetView, cluster: string) =>
  trafficIn(view, cluster).flatMap(({ from, to, port, spans }) => {
    const now = spans.find((span) => span.until === null)
    if (!now || now.failing <= 0) return []
    const { at, by, failing, perSecond } = now
    return [{ from, to, port, at, by, failing, perSecond }]
  })

/** A stretch of the way: what is there, a line of less weight, and the page that tells more. */
interface Stretch {
  readonly name: string
  readonly lines: readonly string[]
  readonly soft: string
  readonly path: string | null
}

function firewallStretch({ firewall = [], name }: SiteView): Stretch {
  const count = (direction: 'in' | 'out'): string =>
    countText(
      firewall.filter((rule) => rule.enabled !== false && rule.direction === direction).length,
      `rule ${direction}`,
      `rules ${direction}`,
    )
  return {
    name: 'firewall',
    lines: [count('in'), count('out')],
    soft: `of ${name}`,
    path: '/wire/firewall',
  }
}

/** Virtual addresses and the nodes behind them. */
function frontStretches(site: SiteView, cluster: ClusterView): readonly Stretch[] {
  const balancers = site.balancers.filter((balancer) => balancer.cluster === cluster.name)
  const addresses = balancers.map(
    ({ address, port, ports = [] }) => `${address}:${[port, ...ports].join(',')}`,
  )
  const fill = poolFill(site)
  return [
    {
      name: 'virtual addresses',
      lines: addresses.length > 0 ? addresses : ['none'],
      soft: fill ? `${fill.used} of ${fill.size} used` : 'none offered',
      path: '/wire/hosts',
    },
    {
      name: 'pool members',
      lines: [countText(nodesOf(cluster).length, 'node')],
      soft: balancers.map((balancer) => balancer.service).join(', '),
      path: `/clusters/${cluster.name}`,
    },
  ]
}

/** The way from outside to a pod and back, stretch by stretch. */
function laneOf(
  view: FleetView,
  site: SiteView,
  cluster: ClusterView,
  rows: readonly Wired[],
): readonly Stretch[] {
  const networks = new Set(
    rows.flatMap((row) => (row.what === 'network' && row.nodes > 0 ? [row.name] : [])),
  )
  const policies = ofKind(listedObjects(view, cluster.name), 'NetworkPolicy').length
  return [
    {
      name: 'outside',
      lines: site.connected ? ['wide-area uplink'] : ['no way in or out'],
      soft: site.mtu === undefined ? '' : `MTU ${site.mtu}`,
      path: null,
    },
    firewallStretch(site),
    ...frontStretches(site, cluster),
    {
      name: 'node network',
      lines: networks.size > 0 ? [...networks].slice(0, 4) : ['none'],
      soft: '',
      path: '/ground/addresses',
    },
    {
      name: 'pods and services',
      lines: [cluster.pods, cluster.services],
      soft: countText(policies, 'policy', 'policies'),
      path: '/wire/policies',
    },
    {
      name: 'way out',
      lines: [
        `kept: ${listText(cluster.keepSource ?? [], 2) || 'none'}`,
        site.egress === undefined ? 'no egress' : `becomes ${site.egress}`,
      ],
      soft: countText((site.translations ?? []).length, 'translation'),
      path: '/wire/translation',
    },
  ]
}

export async function loader({ request, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const fleet = await fleetAsked(gyrarch, request)
  const { view, cluster, site } = await aimed(gyrarch, request)
  const held = expectations(await fleet.withExpected(view))
  const broken = held.filter(({ holds }) => !holds).map(({ name, says }) => ({ name, says }))
  const expected = held.length
  if (!cluster || !site)
    return {
      cluster: null,
      clusters: view.clusters.map((candidate) => candidate.name),
      broken,
      expected,
    }
  const rows = await wiredWithMakers(view, cluster)
  return {
    cluster: cluster.name,
    clusters: [],
    broken,
    expected,
    failing: failingCalls(view, cluster.name),
    calls: trafficIn(view, cluster.name).length,
    rows,
    lane: laneOf(view, site, cluster, rows),
  }
}

const columns: readonly Column<Wired>[] = [
  { name: 'what', value: (row) => row.what },
  {
    name: 'name',
    value: (row) => row.name,
    wraps: true,
    show: (row) => <span className="mono">{row.name}</span>,
  },
  {
    name: 'value',
    value: (row) => row.value,
    show: (row) => <span className="mono">{row.value}</span>,
  },
  { name: 'for', value: (row) => row.says, wraps: true },
  {
    name: 'fill',
    value: (row) => (row.fill && row.fill.size > 0 ? row.fill.used / row.fill.size : -1),
    show: (row) =>
      row.fill && row.fill.size > 0 ? (
        <span title={`${row.fill.used} of ${row.fill.size}`}>
          <span className="fill" aria-hidden>
            <i style={{ width: `${Math.min(100, (100 * row.fill.used) / row.fill.size)}%` }} />
          </span>
          {numberText(row.fill.used)}/{numberText(row.fill.size)}
        </span>
      ) : (
        ''
      ),
  },
  {
    name: 'made by',
    value: (row) => row.maker,
    wraps: true,
    show: (row) =>
      row.change === null ? row.maker : <To path={`/changes/${row.change}`}>{row.maker}</To>,
  },
]

type Data = Route.ComponentProps['loaderData']
type Failing = NonNullable<Data['failing']>[number]

function callsText(data: Data): string {
  if (data.cluster === null) return 'Ways'
  const failing = data.failing.length
  if (failing > 0) return `${countText(failing, 'call')} ${failing === 1 ? 'fails' : 'fail'}`
  return data.calls === 0 ? 'No call was seen' : 'Every call gets through'
}

function endText({ at, by }: Failing): string {
  if (at === 'answer') return 'is answered with errors'
  if (at === 'callers') return `is refused: ${by}`
  return `ends at ${at.replace('-', ' ')}${by === '' ? '' : `: ${by}`}`
}

/** The page that tells why a call fails. */
function WhyLink({ call }: { readonly call: Failing }) {
  const { from, to, port, at } = call
  if (at === 'answer')
    return (
      <To path="/wire/traffic" query={{ service: to }}>
        See its traffic
      </To>
    )
  if (at === 'callers')
    return (
      <To path="/wire/calls" query={{ cell: `${from} ${to}` }}>
        See who may call
      </To>
    )
  return (
    <To path="/wire/walk" query={{ from, to, port: String(port) }}>
      Walk it
    </To>
  )
}

function FailingCalls({ failing }: { readonly failing: readonly Failing[] }) {
  return (
    <ul className="plain-list">
      {failing.map((call) => (
        <li key={`${call.from}${call.to}${call.port}`} className="wire-remedy">
          <p>
            <StateGlyph state="broken" /> <span className="mono">{call.from}</span> to{' '}
            <span className="mono">
              {call.to}:{call.port}
            </span>{' '}
            {endText(call)}, {numberText((100 * call.failing) / call.perSecond)} % of{' '}
            {numberText(call.perSecond, 1)} a second.
          </p>
          <WhyLink call={call} />
        </li>
      ))}
    </ul>
  )
}

function Expectations({ expected, broken }: Pick<Data, 'expected' | 'broken'>) {
  if (expected === 0)
    return (
      <p className="soft">
        None is kept yet. <To path="/wire/walk">Walk one</To>
      </p>
    )
  if (broken.length === 0)
    return (
      <p>
        <StateGlyph state="well" /> All {expected} hold.
      </p>
    )
  return (
    <ul className="facts">
      {broken.map(({ name, says }) => (
        <li key={name}>
          <span>
            <StateGlyph state="broken" /> {name}
          </span>
          <span className="source">{says}</span>
        </li>
      ))}
    </ul>
  )
}

function Lane({ lane }: { readonly lane: readonly Stretch[] }) {
  return (
    <div className="wired-lane" role="list" aria-label="The way from outside to a pod">
      {lane.map((part) => (
        <div key={part.name} role="listitem">
          <b>{part.path === null ? part.name : <To path={part.path}>{part.name}</To>}</b>
          {part.lines.map((line) => (
            <span key={line}>{line}</span>
          ))}
          {part.soft === '' ? null : <span className="soft">{part.soft}</span>}
        </div>
      ))}
    </div>
  )
}

export default function WiredPage({ loaderData }: Route.ComponentProps) {
  const { cluster, broken, expected } = loaderData
  return (
    <Page
      title={cluster === null ? 'What is wired' : `What is wired in ${cluster}`}
      beside={
        cluster === null ? null : <span className="soft">from outside to a pod, and back</span>
      }
      reason={
        <>
          <h2>{callsText(loaderData)}</h2>
          <FailingCalls failing={loaderData.failing ?? []} />
          <h3>Expectations</h3>
          <Expectations expected={expected} broken={broken} />
        </>
      }
    >
      <WireTabs here="/wire" />
      {loaderData.cluster === null ? (
        <ChooseCluster
          clusters={loaderData.clusters}
          path="/wire"
          title="What is wired"
          says="The way from outside to a pod, what its pods reach and what of it fails, for one cluster. Point at one."
        />
      ) : (
        <>
          <Lane lane={loaderData.lane} />
          <Table
            name={`what is wired in ${loaderData.cluster}`}
            columns={columns}
            rows={loaderData.rows}
            id={(row) => `${row.what}/${row.name}/${row.value}`}
            empty="Nothing is wired yet."
          />
        </>
      )}
    </Page>
  )
}
