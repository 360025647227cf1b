/** What is reached from outside: services with a virtual address or the reason why none, how traffic comes in, hosts and their certificates. */
import { useState } from 'react'
import { useSearchParams } from 'react-router'
import { listedObjects } from '~/core/fleet'
import { countText, listText, numberText } from '~/core/units'
import { poolTrend, type PoolTrend } from '~/core/wire'
import { frontage, ingressAddress, poolFill } from '~/core/wire/changes'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { DraftChange } from '../../parts/draft-change'
import { StateGlyph } from '../../parts/state'
import { type Column, Table } from '../../kit/table/table'
import { ChooseCluster } from '../../parts/choose-cluster'
import { WireTabs } from './tabs'
import { addressedServices, type HostRow, hostRows, reachableServices } from './hosts-data'
import { aimed } from './wire-data'
import './wire.css'
import type { Route } from './+types/hosts'
import { Explain, Lead } from './lead'
import Button from '@mui/material/Button'
import { Field } from '../../kit/field'
import { Cell, PlainTable, Row as TableRow } from '../../kit/plain-table'

export const meta: Route.MetaFunction = () => [{ title: 'Hosts and virtual addresses · Gyrarch' }]

export async function loader({ request, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const { view, cluster, site } = await aimed(gyrarch, request)
  if (!cluster || !site)
    return { cluster: null, clusters: view.clusters.map((eachCluster) => eachCluster.name) }
  const objects = listedObjects(view, cluster.name)
  const ingress = ingressAddress(view, cluster.name)
  const rows = addressedServices(objects, cluster, site)
  const pool = poolFill(site)
  const metered = await gyrarch.fleet.meter(site.name)
  const kept = metered.filter((entry) => entry.what === 'balancer')
  const began = metered.reduce(
    (first, entry) => (entry.from < first ? entry.from : first),
    view.now,
  )
  return {
    cluster: cluster.name,
    clusters: [],
    site: site.name,
    network: frontage(site)?.name ?? null,
    pool: pool ? { ...pool, trend: poolTrend(pool.size - pool.used, kept, began, view.now) } : null,
    ingress,
    rows,
    routes: hostRows(objects, site, ingress),
    certificatesUntil: cluster.certificatesUntil,
    taken: [...new Set(rows.flatMap((row) => row.ports))].filter(
      (port) => port === 80 || port === 443,
    ),
    namespaces: reachableServices(objects),
    domain: site.nameDomain,
  }
}

export type Data = Route.ComponentProps['loaderData']
export type Row = NonNullable<Data['rows']>[number]

const columns: readonly Column<Row>[] = [
  {
    name: 'service',
    value: (row) => row.key,
    show: (row) => <span className="mono">{row.key}</span>,
  },
  {
    name: 'virtual address',
    value: (row) => row.address ?? '',
    show: (row) =>
      row.address === null ? (
        <>
          <StateGlyph state="strained" /> none: {row.why}
        </>
      ) : (
        <span className="mono">
          {row.address}:{row.ports.join(',')}
        </span>
      ),
    wraps: true,
  },
  {
    name: 'comes in',
    value: (row) => (row.local ? 'on nodes that hold an endpoint' : 'on any node'),
    wraps: true,
  },
  { name: 'source seen', value: (row) => (row.local ? 'the caller’s' : 'a node’s') },
  {
    name: 'endpoints',
    value: (row) => row.ready,
    show: (row) => `${row.ready} ready`,
    number: true,
  },
]

function trendText(trend: PoolTrend): string {
  switch (trend.kind) {
    case 'grows':
      return `full in ${countText(Math.floor(trend.days), 'day')} as it grows now`
    case 'still':
      return 'not growing'
    case 'unknown':
      return 'no trend yet: that takes a week of records and more than a raise or two'
  }
}

function Pool({ site, pool }: { readonly site: string; readonly pool: NonNullable<Data['pool']> }) {
  const [range, setRange] = useState(pool.pool)
  return (
    <section aria-label="Pool of virtual addresses">
      <h3>Pool of virtual addresses</h3>
      <p>
        <span className="fill" aria-hidden>
          <i style={{ width: `${Math.min(100, (100 * pool.used) / Math.max(1, pool.size))}%` }} />
        </span>
        {pool.used} of {numberText(pool.size)} used, in {pool.network}; {trendText(pool.trend)}
      </p>
      <div className="acts">
        <Field label="Pool" hideLabel mono value={range} width={230} onChange={setRange} />
        <DraftChange kind="wire.pool" intent={{ site, pool: range }} disabled={range === pool.pool}>
          Draft it
        </DraftChange>
      </div>
    </section>
  )
}

type Open = Extract<Data, { readonly cluster: string }>

const takenText = (taken: readonly number[]): string =>
  `${taken.length === 1 ? `Port ${taken[0] ?? ''} is` : 'Ports 80 and 443 are'} taken behind a virtual address; a second controller on the same nodes would collide.`

/** What waits for an address, ports that are taken, and the pool. */
function AddressesReason({ data }: { readonly data: Open }) {
  const { rows, taken, pool, site } = data
  const waiting = rows.filter((row) => row.address === null).length
  return (
    <>
      <h2>
        {waiting > 0
          ? countText(waiting, 'service waits', 'services wait')
          : 'Every service has its address'}
      </h2>
      {taken.length > 0 ? <p className="soft">{takenText(taken)}</p> : null}
      {pool ? (
        <Pool key={pool.pool} site={site} pool={pool} />
      ) : (
        <p className="soft">{site} offers no virtual addresses.</p>
      )}
    </>
  )
}

/** The change that no longer leads a host: an Ingress goes as an object, a route as what we lead. */
function RemoveHost({ row, cluster }: { readonly row: HostRow; readonly cluster: string }) {
  const { namespace, name, host } = row
  const isIngress = row.kind === 'Ingress'
  const object = { apiVersion: 'networking.k8s.io/v1', kind: 'Ingress', namespace, name }
  return (
    <DraftChange
      kind={isIngress ? 'manifest.remove' : 'wire.ingress'}
      intent={
        isIngress
          ? { cluster, objects: [object] }
          : { cluster, namespace, name, host, remove: true }
      }
      variant="text"
    >
      Draft removing it
    </DraftChange>
  )
}

function HostTable({ data }: { readonly data: Open }) {
  const { cluster, routes, certificatesUntil } = data
  const until = certificatesUntil === null ? 'unknown' : `until ${certificatesUntil.slice(0, 10)}`
  return (
    <PlainTable
      label="Hosts"
      heads={['host', 'paths', 'goes to', 'name record', 'cluster’s certificate', '']}
    >
      {routes.map((row) => (
        <TableRow key={row.key + row.host}>
          <Cell className="mono">{row.host}</Cell>
          <Cell className="mono">{listText(row.paths, 3)}</Cell>
          <Cell className="mono">{listText(row.backends, 3)}</Cell>
          <Cell>
            <StateGlyph state={row.recordGood ? 'well' : 'strained'} />{' '}
            <span className="mono">{row.record ?? 'none'}</span>
          </Cell>
          <Cell>{until}</Cell>
          <Cell>
            <RemoveHost row={row} cluster={cluster} />
          </Cell>
        </TableRow>
      ))}
      {routes.length === 0 ? (
        <TableRow>
          <Cell colSpan={6} className="soft">
            No host is led to a service yet. Draft one below.
          </Cell>
        </TableRow>
      ) : null}
    </PlainTable>
  )
}

export default function HostsPage({ loaderData }: Route.ComponentProps) {
  const [search, setSearch] = useSearchParams()
  if (loaderData.cluster === null) {
    return (
      <Page
        title="Hosts"
        reason={<p className="soft">What is reached from outside belongs to a cluster.</p>}
      >
        <WireTabs here="/wire/hosts" />
        <ChooseCluster
          clusters={loaderData.clusters}
          path="/wire/hosts"
          title="What is reached from outside"
          says="Virtual addresses, hosts and where they lead. Point at a cluster."
        />
      </Page>
    )
  }
  const { cluster, rows, ingress } = loaderData
  const chosen = rows.find((row) => row.key === search.get('service')) ?? null
  return (
    <Page
      title={`Reached from outside: ${cluster}`}
      beside={
        <span className="soft">
          {ingress === null ? 'its ingress has no virtual address' : `ingress at ${ingress}`}
        </span>
      }
      reason={
        chosen ? (
          <>
            <Explain row={chosen} cluster={cluster} />
            <p>
              <Button
                variant="text"
                onClick={() => setSearch((before) => (before.delete('service'), before))}
              >
                Hosts and the pool
              </Button>
            </p>
          </>
        ) : (
          <AddressesReason data={loaderData} />
        )
      }
    >
      <WireTabs here="/wire/hosts" />
      <div
        style={{
          flex: '0 1 auto',
          maxHeight: '45%',
          display: 'flex',
          flexDirection: 'column',
          minHeight: 140,
        }}
      >
        <Table
          name="services with a virtual address"
          columns={columns}
          rows={rows}
          id={(row) => row.key}
          selected={chosen?.key ?? null}
          onSelect={(row) => setSearch((before) => (before.set('service', row.key), before))}
          empty="No service asks for a virtual address. One of type LoadBalancer does."
        />
      </div>
      <h3 style={{ marginTop: 14 }}>Hosts</h3>
      <div className="scroll" tabIndex={0} role="region" aria-label="Hosts">
        <HostTable data={loaderData} />
        <Lead data={loaderData} />
      </div>
    </Page>
  )
}
