/** What is wired: the way from outside to a pod and back as it is set up now, with who made each part and how full it is. */
import { nodesOf, listedObjects, trafficIn } from '~/core/fleet'
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

export async function loader({ request, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const fleet = await fleetAsked(gyrarch, request)
  const { view, cluster, site } = await aimed(gyrarch, request)
  const held = expectations(await fleet.withExpected(view))
  const broken = held
    .filter((expected) => !expected.holds)
    .map(({ name, says }) => ({ name, says }))
  if (!cluster || !site)
    return {
      cluster: null,
      clusters: view.clusters.map((eachCluster) => eachCluster.name),
      broken,
      expected: held.length,
    }
  const failing = trafficIn(view, cluster.name).flatMap((flow) => {
    const now = flow.spans.find((span) => span.until === null)
    return now && now.failing > 0
      ? [
          {
            from: flow.from,
            to: flow.to,
            port: flow.port,
            at: now.at,
            by: now.by,
            failing: now.failing,
            perSecond: now.perSecond,
          },
        ]
      : []
  })
  const rows = await wiredWithMakers(view, cluster)
  const balancers = site.balancers.filter((balancer) => balancer.cluster === cluster.name)
  const policies = listedObjects(view, cluster.name).filter(
    (object) => object.kind === 'NetworkPolicy',
  ).length
  const networks = [
    ...new Set(rows.flatMap((row) => (row.what === 'network' && row.nodes > 0 ? [row.name] : []))),
  ]
  const fill = poolFill(site)
  return {
    cluster: cluster.name,
    clusters: [],
    broken,
    expected: held.length,
    failing,
    calls: trafficIn(view, cluster.name).length,
    rows,
    lane: [
      {
        name: 'outside',
        lines: site.connected ? ['wide-area uplink'] : ['no way in or out'],
        soft: site.mtu === undefined ? '' : `MTU ${site.mtu}`,
        path: null,
      },
      {
        name: 'firewall',
        lines: [
          countText(
            (site.firewall ?? []).filter(
              (rule) => rule.enabled !== false && rule.direction === 'in',
            ).length,
            'rule in',
            'rules in',
          ),
          countText(
            (site.firewall ?? []).filter(
              (rule) => rule.enabled !== false && rule.direction === 'out',
            ).length,
            'rule out',
            'rules out',
          ),
        ],
        soft: `of ${site.name}`,
        path: '/wire/firewall',
      },
      {
        name: 'virtual addresses',
        lines:
          balancers.length > 0
            ? balancers.map(
                (balancer) =>
                  `${balancer.address}:${[balancer.port, ...(balancer.ports ?? [])].join(',')}`,
              )
            : ['none'],
        soft: fill ? `${fill.used} of ${fill.size} used` : 'none offered',
        path: '/wire/hosts',
      },
      {
        name: 'pool members',
        lines: [countText(nodesOf(cluster).length, 'node')],
        soft: balancers.map((balancer) => balancer.service).join(', '),
        path: `/clusters/${cluster.name}`,
      },
      {
        name: 'node network',
        lines: networks.length > 0 ? networks.slice(0, 4) : ['none'],
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
    ],
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

export default function WiredPage({ loaderData }: Route.ComponentProps) {
  const { cluster, broken, expected } = loaderData
  const failing = loaderData.failing ?? []
  return (
    <Page
      title={cluster === null ? 'What is wired' : `What is wired in ${cluster}`}
      beside={
        cluster === null ? null : <span className="soft">from outside to a pod, and back</span>
      }
      reason={
        <>
          <h2>
            {failing.length > 0
              ? `${countText(failing.length, 'call')} ${failing.length === 1 ? 'fails' : 'fail'}`
              : cluster === null
                ? 'Ways'
                : loaderData.calls === 0
                  ? 'No call was seen'
                  : 'Every call gets through'}
          </h2>
          <ul className="plain-list">
            {failing.map((entry) => (
              <li key={`${entry.from}${entry.to}${entry.port}`} className="wire-remedy">
                <p>
                  <StateGlyph state="broken" /> <span className="mono">{entry.from}</span> to{' '}
                  <span className="mono">
                    {entry.to}:{entry.port}
                  </span>{' '}
                  {entry.at === 'answer'
                    ? 'is answered with errors'
                    : entry.at === 'callers'
                      ? `is refused: ${entry.by}`
                      : `ends at ${entry.at.replace('-', ' ')}${entry.by === '' ? '' : `: ${entry.by}`}`}
                  , {numberText((100 * entry.failing) / entry.perSecond)} % of{' '}
                  {numberText(entry.perSecond, 1)} a second.
                </p>
                {entry.at === 'answer' ? (
                  <To path="/wire/traffic" query={{ service: entry.to }}>
                    See its traffic
                  </To>
                ) : entry.at === 'callers' ? (
                  <To path="/wire/calls" query={{ cell: `${entry.from} ${entry.to}` }}>
                    See who may call
                  </To>
                ) : (
                  <To
                    path="/wire/walk"
                    query={{ from: entry.from, to: entry.to, port: String(entry.port) }}
                  >
                    Walk it
                  </To>
                )}
              </li>
            ))}
          </ul>
          <h3>Expectations</h3>
          {expected === 0 ? (
            <p className="soft">
              None is kept yet. <To path="/wire/walk">Walk one</To>
            </p>
          ) : broken.length === 0 ? (
            <p>
              <StateGlyph state="well" /> All {expected} hold.
            </p>
          ) : (
            <ul className="facts">
              {broken.map((entry) => (
                <li key={entry.name}>
                  <span>
                    <StateGlyph state="broken" /> {entry.name}
                  </span>
                  <span className="source">{entry.says}</span>
                </li>
              ))}
            </ul>
          )}
        </>
      }
    >
      <WireTabs here="/wire" />
      {cluster === null || !loaderData.rows ? (
        <ChooseCluster
          clusters={loaderData.clusters}
          path="/wire"
          title="What is wired"
          says="The way from outside to a pod, what its pods reach and what of it fails, for one cluster. Point at one."
        />
      ) : (
        <>
          <div className="wired-lane" role="list" aria-label="The way from outside to a pod">
            {loaderData.lane.map((part) => (
              <div key={part.name} role="listitem">
                <b>{part.path === null ? part.name : <To path={part.path}>{part.name}</To>}</b>
                {part.lines.map((line) => (
                  <span key={line}>{line}</span>
                ))}
                {part.soft === '' ? null : <span className="soft">{part.soft}</span>}
              </div>
            ))}
          </div>
          <Table
            name={`what is wired in ${cluster}`}
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
