/** Spend: what the coming month costs, by cluster, pool and namespace, with the idle share; and what else it could be. */
import { z } from 'zod'
import { redirect, useFetcher, useNavigate } from 'react-router'
import { clusterOf, type ClusterView, nodesOf, siteOf } from '~/core/fleet'
import type { ApiObject } from '~/core/objects'
import { smallestPools } from '~/core/placement'
import {
  meteredSpend,
  namespaceSpend,
  poolWhatIfs,
  projectSpend,
  readPrices,
  type SpendLine,
} from '~/core/spend'
import { moneyText, numberText } from '~/core/units'
import { breath } from '~/server/breath'
import { askedForm, field } from '../asked'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { Attention } from '../../parts/attention'
import { type Column, Table } from '../../kit/table/table'
import { To, useAddress } from '../../parts/to'
import { orRefused } from '../refusals'
import { aimedCluster, ShapeTabs } from './tabs'
import './shape.css'
import { fleetAsked } from '../moment'
import type { Route } from './+types/spend'
import { Drop } from '../../kit/drop'
import { Tip } from '../../kit/tip'
import { SpendChart } from './spend-chart'
import { spendWants } from './wants'

export const meta: Route.MetaFunction = () => [{ title: 'Spend · Gyrarch' }]

/** The largest cluster for which smaller pools are looked for while the page is made. */
const mostTried = 24

const smallestOf = (cluster: ClusterView, objects: readonly ApiObject[]) =>
  nodesOf(cluster).length <= mostTried ? smallestPools(objects) : []

export async function loader({ request, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const fleet = await fleetAsked(gyrarch, request)
  const view = await fleet.view()
  const from = Math.floor(Date.parse(view.now) / 3_600_000) * 3_600_000
  const date = new Date(from)
  const until = Date.UTC(
    date.getUTCFullYear(),
    date.getUTCMonth() + 1,
    date.getUTCDate(),
    date.getUTCHours(),
  )
  const projection = projectSpend(view, from, until)
  await breath()
  const monthBegan = Date.UTC(date.getUTCFullYear(), date.getUTCMonth(), 1)
  const metered = meteredSpend(view, await fleet.meters(), monthBegan, Date.parse(view.now))
  await breath()
  const name = aimedCluster(request)
  const cluster = name === null ? undefined : clusterOf(view, name)
  const site = cluster && siteOf(view, cluster.site)
  const workers = projection.lines
    .filter(
      (line) =>
        line.cluster === cluster?.name && line.what === 'machines' && line.pool !== 'control-plane',
    )
    .reduce((sum, line) => sum + line.units, 0)
  return {
    projection: {
      from: projection.from,
      until: projection.until,
      assumptions: projection.assumptions,
    },
    rows: rowsOf(projection.lines, metered.lines).filter(
      (row) => !cluster || row.cluster === cluster.name,
    ),
    since: metered.since,
    msSoFar: Math.max(0, Date.parse(view.now) - Date.parse(metered.since)),
    whole: projection.units,
    chosen:
      cluster && site
        ? {
            name: cluster.name,
            resting: cluster.resting,
            namespaces: namespaceSpend(
              cluster.name,
              workers,
              (await fleet.objectsOf(cluster.name)) ?? [],
            ),
            whatIfs: cluster.pools.flatMap((pool) =>
              poolWhatIfs(site, cluster, pool.name, from, until),
            ),
            smaller: smallestOf(cluster, (await fleet.objectsOf(cluster.name)) ?? []),
          }
        : null,
  }
}

const mostText = 4 * 1024 * 1024

export async function action({ request, context }: Route.ActionArgs) {
  const gyrarch = context.get(gyrarchContext)
  return orRefused(async () => {
    const form = await askedForm(request, z.object({ text: field(mostText) }))
    const { good, bad } = readPrices(form.text, await gyrarch.fleet.view())
    if (good.length === 0) return { bad, refused: 'No line of it is a price.' }
    const record = await gyrarch.changes.draft('spend.prices', { prices: good })
    if (bad.length > 0) return { bad, drafted: record.id, refused: null }
    throw redirect(`/changes/${record.id}`)
  })
}

function PriceBook() {
  const fetcher = useFetcher<{
    bad?: readonly { line: number; says: string }[]
    drafted?: string
    refused?: string | null
  }>()
  return (
    <section aria-label="Price book">
      <h3>Price book</h3>
      <div className="acts">
        <a href="/api/v1/prices.csv">As CSV</a>
      </div>
      <Drop
        what="price book"
        accept={{ 'text/csv': ['.csv'] }}
        maxBytes={mostText}
        refused={fetcher.data?.refused}
        onText={(text) => void fetcher.submit({ text }, { method: 'post' })}
      />
      {fetcher.data?.drafted ? (
        <p>
          The good lines are drafted:{' '}
          <To path={`/changes/${fetcher.data.drafted}`}>{fetcher.data.drafted}</To>
        </p>
      ) : null}
      <ul className="facts">
        {(fetcher.data?.bad ?? []).slice(0, 20).map((entry) => (
          <li key={entry.line}>
            line {entry.line}: {entry.says}
          </li>
        ))}
      </ul>
    </section>
  )
}

/** What a thing is thought to cost in the coming month, beside what it has cost since this one began. */
interface Row extends SpendLine {
  readonly soFar: number
}

const keyOf = (line: SpendLine): string =>
  `${line.site}/${line.cluster ?? ''}/${line.pool ?? ''}/${line.what}`

function rowsOf(projected: readonly SpendLine[], metered: readonly SpendLine[]): readonly Row[] {
  const spent = new Map(metered.map((line) => [keyOf(line), line.units]))
  const cache = new Set(projected.map(keyOf))
  return [
    ...projected.map((line): Row => ({ ...line, soFar: spent.get(keyOf(line)) ?? 0 })),
    ...metered
      .filter((line) => !cache.has(keyOf(line)))
      .map((line): Row => ({ ...line, count: 0, hours: 0, units: 0, soFar: line.units })),
  ]
}

const columns: readonly Column<Row>[] = [
  {
    name: 'site',
    value: (line) => line.site,
    show: (line) => <span className="mono">{line.site}</span>,
  },
  {
    name: 'cluster',
    value: (line) => line.cluster ?? '',
    show: (line) =>
      line.cluster === null ? (
        <span className="soft">all of them</span>
      ) : (
        <To path="/shape/spend" query={{ aim: `cluster/${line.cluster}` }} className="mono">
          {line.cluster}
        </To>
      ),
  },
  { name: 'pool', value: (line) => line.pool ?? '' },
  { name: 'what', value: (line) => line.what },
  { name: 'count', value: (line) => line.count, number: true },
  {
    name: 'hours each',
    value: (line) => line.hours,
    show: (line) => numberText(line.hours, 1),
    number: true,
  },
  {
    name: 'spent so far',
    value: (line) => line.soFar,
    show: (line) => moneyText(line.soFar),
    number: true,
  },
  {
    name: 'coming month',
    value: (line) => line.units,
    show: (line) => moneyText(line.units),
    number: true,
  },
]

type Data = Route.ComponentProps['loaderData']
type Chosen = NonNullable<Data['chosen']>

const shareText = (share: number): string => `${numberText(100 * share, 1)} %`

/** What each namespace takes of a cluster’s spend, and what nobody asks for. */
function ByNamespace({ chosen }: { readonly chosen: Chosen }) {
  const { namespaces, resting } = chosen
  if (namespaces.length === 0)
    return (
      <p className="soft">
        {resting ? 'It rests: nobody asks for anything.' : 'Its API does not answer.'}
      </p>
    )
  const told = namespaces.map((row) => `${row.namespace ?? 'idle'} ${shareText(row.share)}`)
  return (
    <>
      <div className="spend-bar" role="img" aria-label={`Shares: ${told.join(', ')}`}>
        {namespaces.map((row) => (
          <span
            key={row.namespace ?? ''}
            data-idle={row.namespace === null}
            style={{ width: `${100 * row.share}%` }}
          />
        ))}
      </div>
      <ul className="facts">
        {namespaces.map((row) => (
          <li key={row.namespace ?? ''}>
            <span className={row.namespace === null ? 'soft' : 'mono'}>
              {row.namespace ?? 'idle: asked for by nobody'}
            </span>
            <span className="source">
              {moneyText(row.units)} · {shareText(row.share)}
            </span>
          </li>
        ))}
      </ul>
    </>
  )
}

function WhatIfs({ whatIfs }: Pick<Chosen, 'whatIfs'>) {
  if (whatIfs.length === 0) return null
  return (
    <>
      <h3>What if</h3>
      <ul className="facts">
        {whatIfs.map((whatIf) => (
          <li key={whatIf.says}>
            <Tip says={whatIf.assumptions.join(' ')}>
              <span tabIndex={0}>{whatIf.says}</span>
            </Tip>
            <span className="source">
              {moneyText(whatIf.before)} → {moneyText(whatIf.after)}
            </span>
          </li>
        ))}
      </ul>
    </>
  )
}

function SmallerPools({ smaller }: Pick<Chosen, 'smaller'>) {
  if (smaller.length === 0) return null
  const drains = (nodes: readonly string[]): string =>
    JSON.stringify(nodes.map((node) => ({ kind: 'drain', node })))
  return (
    <>
      <h3>The smallest pools that hold what runs</h3>
      <ul className="facts">
        {smaller.map((entry) => (
          <li key={entry.pool}>
            <To path="/shape/board" query={{ if: drains(entry.nodes) }}>
              {entry.pool}: {entry.from} → {entry.to}
            </To>
            <span className="source">proven on the board</span>
          </li>
        ))}
      </ul>
    </>
  )
}

function ClusterSpend({ chosen }: { readonly chosen: Chosen }) {
  return (
    <>
      <h2>By namespace</h2>
      <ByNamespace chosen={chosen} />
      <WhatIfs whatIfs={chosen.whatIfs} />
      <SmallerPools smaller={chosen.smaller} />
      <p>
        <To path="/shape/rest">Rest calendar</To> · <To path="/shape/board">Board</To>
      </p>
    </>
  )
}

/** What the coming month costs, and what was spent since when. */
function Sums({ data }: { readonly data: Data }) {
  const { projection, rows, since, whole, chosen } = data
  const sum = rows.reduce((total, line) => total + line.units, 0)
  const spent = rows.reduce((total, line) => total + line.soFar, 0)
  return (
    <span>
      <b>{moneyText(sum)}</b> units{' '}
      <span className="soft">
        from {projection.from.slice(0, 10)} to {projection.until.slice(0, 10)}
        {chosen ? `, of ${moneyText(whole)} for the fleet` : ''}
      </span>{' '}
      · <b>{moneyText(spent)}</b>{' '}
      <span className="soft">spent since {since.slice(0, 16).replace('T', ' ')}</span>
    </span>
  )
}

/** What is out of the ordinary about what is shown. */
function SpendAttention({ data }: { readonly data: Data }) {
  const { rows, projection, msSoFar, chosen } = data
  const sum = (of: 'units' | 'soFar'): number => rows.reduce((total, row) => total + row[of], 0)
  const coming = {
    units: sum('units'),
    ms: Date.parse(projection.until) - Date.parse(projection.from),
  }
  const idle = chosen?.namespaces.find(({ namespace }) => namespace === null)?.share ?? null
  const wants = spendWants({ soFar: { units: sum('soFar'), ms: msSoFar }, coming, idle })
  return rows.length === 0 ? null : (
    <Attention wants={wants} well="at the pace of the month so far" />
  )
}

export default function Spend({ loaderData }: Route.ComponentProps) {
  const { projection, rows, chosen } = loaderData
  const navigate = useNavigate()
  const address = useAddress()
  return (
    <Page
      title={chosen ? `Spend of ${chosen.name}` : 'Spend'}
      beside={
        <>
          <Sums data={loaderData} /> <SpendAttention data={loaderData} />
        </>
      }
      reason={
        <>
          {chosen ? (
            <ClusterSpend chosen={chosen} />
          ) : (
            <p className="soft">
              Choose a cluster to see what each of its namespaces takes, and what nobody asks for.
            </p>
          )}
          <PriceBook />
          <h3>What this rests on</h3>
          <ul className="facts">
            {projection.assumptions.map((assumption) => (
              <li key={assumption}>{assumption}</li>
            ))}
          </ul>
        </>
      }
    >
      <ShapeTabs here="/shape/spend" />
      <SpendChart rows={rows} by={chosen ? 'pool' : 'cluster'} />
      <Table
        name="spend of the coming month"
        columns={columns}
        rows={rows}
        id={keyOf}
        onSelect={(line) =>
          line.cluster === null
            ? undefined
            : void navigate(address('/shape/spend', { aim: `cluster/${line.cluster}` }))
        }
        empty="Nothing costs anything yet. Once a cluster stands, the coming month is reckoned from its machines, disks and addresses by the price book."
      />
    </Page>
  )
}
