/** As whom packets leave: translations of the site in order, where a cluster’s pods keep their addresses, ports left, and packet sizes. */
import { useState } from 'react'
import { useSearchParams } from 'react-router'
import { type ClusterView, nodesOf, type SiteView, trafficIn } from '~/core/fleet'
import { countText, listText, numberText } from '~/core/units'
import { networkHolding } from '~/core/wire'
import { ruleHits } from '~/core/wire/changes'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { Attention } from '../../parts/attention'
import { DraftChange } from '../../parts/draft-change'
import { type Column, Table } from '../../kit/table/table'
import { To } from '../../parts/to'
import { ChooseCluster } from '../../parts/choose-cluster'
import { WireTabs } from './tabs'
import { aimed } from './wire-data'
import './wire.css'
import type { Route } from './+types/translation'
import { LeavingSketch } from '../../drawings/leaving-sketch'
import { Field } from '../../kit/field'
import { TranslationForm } from './translation-form'

export const meta: Route.MetaFunction = () => [{ title: 'Translation · Gyrarch' }]

/** Source ports that one egress address has towards one destination. Source: RFC 6056, section 3.2, dynamic ports 1024 to 65535. */
const portsOfAddress = 64_512
/** A connection holds its port for this long after it ends (s). Source: RFC 9293, TIME-WAIT of two maximum segment lifetimes, as commonly set. */
const heldSeconds = 60
/** Bytes that a VXLAN overlay adds. Source: RFC 7348. */
const overlayBytes = 50

/** What the packets of a cluster pass and how large they may be there. */
function linksOf(cluster: ClusterView, site: SiteView) {
  const networks = [
    ...new Set(
      nodesOf(cluster)
        .map((node) => networkHolding(site, node.address))
        .filter((name) => name !== null),
    ),
  ]
  return [
    ...site.networks
      .filter((network) => networks.includes(network.name))
      .map((network) => ({
        name: network.name,
        mtu: network.mtu ?? site.mtu ?? 1500,
        says: network.mtu === undefined ? 'not said; taken as the uplink’s' : 'as set',
      })),
    {
      name: 'pods across nodes',
      mtu:
        Math.min(
          ...site.networks
            .filter((network) => networks.includes(network.name))
            .map((network) => network.mtu ?? site.mtu ?? 1500),
        ) - overlayBytes,
      says: `the overlay takes ${overlayBytes}`,
    },
    ...(site.mtu === undefined
      ? []
      : [{ name: `uplink of ${site.name}`, mtu: site.mtu, says: 'as set' }]),
  ]
}

export async function loader({ request, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const { view, cluster, site } = await aimed(gyrarch, request)
  if (!cluster || !site)
    return { cluster: null, clusters: view.clusters.map((eachCluster) => eachCluster.name) }
  const traffic = trafficIn(view, cluster.name)
  const hits = ruleHits(site, traffic, view.now)
  const leaving = traffic.flatMap((flow) => {
    const now = flow.spans.find((span) => span.until === null)
    return now?.leaving
      ? [
          {
            from: flow.from,
            to: flow.to,
            port: flow.port,
            source: now.leaving.source,
            perSecond: now.perSecond,
            met: now.met.map((name) => name.split('/')[1] ?? ''),
          },
        ]
      : []
  })
  const translated = leaving.filter((flow) =>
    (site.translations ?? []).some(
      (rule) => rule.kind === 'translate' && flow.met.includes(rule.name),
    ),
  )
  const agents = cluster.controlPlane.kind === 'managed' ? nodesOf(cluster).length : 0
  // One new connection a call at the most; each agent holds one.
  const used =
    Math.ceil(translated.reduce((sum, entry) => sum + entry.perSecond, 0) * heldSeconds) + agents
  return {
    cluster: cluster.name,
    clusters: [],
    site: site.name,
    egress: site.egress ?? null,
    kept: cluster.keepSource ?? [],
    used,
    ports: portsOfAddress,
    links: linksOf(cluster, site),
    leaving,
    rows: [...(site.translations ?? [])]
      .map((rule, index) => ({ rule, index }))
      .sort((a, b) => a.rule.priority - b.rule.priority || a.index - b.index)
      .map(({ rule }) => ({
        ...rule,
        hits: hits.get(rule.name) ?? 0,
        flows: leaving
          .filter((flow) => flow.met.includes(rule.name))
          .map((flow) => `${flow.from} to ${flow.to}`),
      })),
  }
}

/** The share of an address’s source ports beyond which a burst of calls may find none. */
const scarce = 0.8

type Row = NonNullable<Route.ComponentProps['loaderData']['rows']>[number]

const columns: readonly Column<Row>[] = [
  {
    name: 'translation',
    value: (row) => row.name,
    show: (row) => <span className="mono">{row.name}</span>,
  },
  { name: 'priority', value: (row) => row.priority, number: true },
  {
    name: 'does',
    value: (row) => (row.kind === 'keep' ? 'keeps the source' : `becomes ${row.becomes ?? ''}`),
  },
  {
    name: 'from',
    value: (row) => listText(row.from ?? ['all'], 2),
    wraps: true,
    show: (row) => <span className="mono">{listText(row.from ?? ['all'], 2)}</span>,
  },
  {
    name: 'to',
    value: (row) => listText(row.to ?? ['all'], 2),
    show: (row) => <span className="mono">{listText(row.to ?? ['all'], 2)}</span>,
  },
  {
    name: 'met in a day',
    value: (row) => row.hits,
    show: (row) => numberText(row.hits),
    number: true,
  },
  {
    name: 'calls now',
    value: (row) => row.flows.length,
    wraps: true,
    show: (row) => (row.flows.length === 0 ? 'none' : listText(row.flows, 2)),
  },
]

function Keep({ cluster, kept }: { readonly cluster: string; readonly kept: readonly string[] }) {
  const [range, setRange] = useState('')
  return (
    <section aria-label="Kept sources">
      <h2>Where pods keep their addresses</h2>
      <ul className="facts">
        {kept.map((name) => (
          <li key={name}>
            <span className="mono">{name}</span>
            <DraftChange
              kind="wire.keep-source"
              intent={{ cluster, remove: [name] }}
              variant="text"
            >
              Draft removing it
            </DraftChange>
          </li>
        ))}
        {kept.length === 0 ? (
          <li className="soft">
            Nowhere: outside its own pods and services, a pod arrives as its node.
          </li>
        ) : null}
      </ul>
      <div className="acts" style={{ margin: '8px 0 14px' }}>
        <Field
          label="Range to keep sources towards"
          hideLabel
          mono
          placeholder="10.88.4.20/32"
          value={range}
          onChange={setRange}
        />
        <DraftChange
          kind="wire.keep-source"
          intent={{ cluster, add: [range.trim()] }}
          disabled={range.trim() === ''}
        >
          Draft keeping
        </DraftChange>
      </div>
    </section>
  )
}

function PacketSizes({
  links,
}: {
  readonly links: readonly { readonly name: string; readonly mtu: number; readonly says: string }[]
}) {
  return (
    <>
      <h3>Packet sizes</h3>
      <ul className="facts">
        {links.map((link) => (
          <li key={link.name}>
            <span>{link.name}</span>
            <span className="source">
              {numberText(link.mtu)} bytes, {link.says}
            </span>
          </li>
        ))}
      </ul>
      <p className="soft">
        A full-sized packet of 1,500 bytes{' '}
        {links.some((link) => link.mtu < 1500)
          ? `stops first at ${links.find((link) => link.mtu < 1500)?.name ?? ''}`
          : 'passes everywhere'}
        . <To path="/wire/walk">Walk one</To>
      </p>
    </>
  )
}

/** Source ports of the address that all leave by. */
function PortsLeft({
  egress,
  used,
  ports,
}: {
  readonly egress: string
  readonly used: number
  readonly ports: number
}) {
  return (
    <>
      <h3>Source ports left</h3>
      <ul className="facts">
        <li>
          <span className="mono">{egress}</span>
          <span className="source">
            about {numberText(Math.max(0, ports - used))} of {numberText(ports)} to any one
            destination, if each call opens a connection
          </span>
        </li>
      </ul>
    </>
  )
}

/** One translation: what it does, what leaves by it now, and the change that takes it away. */
function Chosen({ site, row }: { readonly site: string; readonly row: Row }) {
  return (
    <>
      <div className="soft">translation</div>
      <h2>{row.name}</h2>
      <p>
        {row.kind === 'keep' ? 'Keeps the source' : `Makes the source ${row.becomes ?? ''}`} of what
        goes from {listText(row.from ?? ['all'], 3)} to {listText(row.to ?? ['all'], 3)}, if none
        before it matches.
      </p>
      <h3>Calls that leave by it now</h3>
      <ul className="facts">
        {row.flows.map((flow) => (
          <li key={flow} className="mono">
            {flow}
          </li>
        ))}
        {row.flows.length === 0 ? <li className="soft">None.</li> : null}
      </ul>
      <div className="acts">
        <DraftChange kind="wire.translation" intent={{ site, remove: [row.name] }}>
          Draft removing it
        </DraftChange>
      </div>
    </>
  )
}

export default function TranslationPage({ loaderData }: Route.ComponentProps) {
  const { cluster } = loaderData
  const [search, setSearch] = useSearchParams()
  if (cluster === null || !loaderData.rows) {
    return (
      <Page
        title="Translation"
        reason={
          <p className="soft">As whom a packet arrives depends on its cluster and its site.</p>
        }
      >
        <WireTabs here="/wire/translation" />
        <ChooseCluster
          clusters={loaderData.clusters}
          path="/wire/translation"
          title="As whom packets leave"
          says="Which address the other end sees depends on a cluster and its site. Point at a cluster."
        />
      </Page>
    )
  }
  const { rows, site, egress, kept, used, ports, links } = loaderData
  const chosen = rows.find((row) => row.name === search.get('rule')) ?? null
  return (
    <Page
      title={`As whom ${cluster} goes out`}
      beside={
        <Attention
          wants={
            used > scarce * ports
              ? [
                  `${numberText(Math.max(0, ports - used))} of ${numberText(ports)} source ports left`,
                ]
              : []
          }
          well={`source ports are enough; the first translation of ${site} that matches decides`}
        />
      }
      reason={
        <>
          {chosen ? <Chosen site={site} row={chosen} /> : null}
          <Keep cluster={cluster} kept={kept} />
          {egress === null ? null : <PortsLeft egress={egress} used={used} ports={ports} />}
          <PacketSizes links={links} />
        </>
      }
    >
      <WireTabs here="/wire/translation" />
      <Table
        name={`translations of ${site}`}
        columns={columns}
        rows={rows}
        id={(row) => row.name}
        selected={chosen?.name ?? null}
        onSelect={(row) =>
          setSearch((before) => (before.set('rule', row.name), before), {
            preventScrollReset: true,
          })
        }
        empty="No translation: what leaves keeps its source."
        tools={
          <span className="soft">
            {countText(loaderData.leaving.length, 'call leaves', 'calls leave')} the site
          </span>
        }
      />
      <LeavingSketch calls={loaderData.leaving} />
      <TranslationForm site={site} egress={egress} />
    </Page>
  )
}
