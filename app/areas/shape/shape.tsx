/** Capacity at a glance: for each cluster what is asked for, what it can give, and what one more of its largest would find. */
import { type ClusterView, clusterState, stateContext } from '~/core/fleet'
import { capacityOf, type Capacity, lossText } from '~/core/placement'
import { countText, GiB, numberText } from '~/core/units'
import { breath } from '~/server/breath'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { Attention, type AttentionProps } from '../../parts/attention'
import { StateText } from '../../parts/state'
import { type Column, Table } from '../../kit/table/table'
import { To, useAddress } from '../../parts/to'
import { useNavigate } from 'react-router'
import { ShapeTabs, aimedCluster } from './tabs'
import './shape.css'
import { fleetAsked } from '../moment'
import type { Route } from './+types/shape'
import { BarChart } from '../../kit/chart/chart'
import { Empty } from '../../kit/empty'

export const meta: Route.MetaFunction = () => [{ title: 'Shape · Gyrarch' }]

/** The largest number of nodes for which the loss of each zone is placed anew on this page. */
const mostPlaced = 40

export async function loader({ request, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const fleet = await fleetAsked(gyrarch, request)
  const view = await fleet.view()
  const state = stateContext(view)
  const aim = aimedCluster(request)
  const rowOf = async (cluster: ClusterView) => {
    const nodes = cluster.pools.reduce((sum, pool) => sum + pool.nodes.length, 0)
    const objects =
      cluster.apiAnswers && (nodes <= mostPlaced || cluster.name === aim)
        ? await fleet.objectsOf(cluster.name)
        : null
    return {
      name: cluster.name,
      site: cluster.site,
      ...clusterState(cluster, state),
      nodes,
      unanswered: !cluster.apiAnswers,
      capacity: objects ? capacityOf(objects) : null,
    }
  }
  const rows = []
  for (const cluster of view.clusters) {
    rows.push(await rowOf(cluster))
    await breath()
  }
  return { rows, at: aim }
}

type Row = Route.ComponentProps['loaderData']['rows'][number]

const of = (row: Row, pick: (capacity: Capacity) => number): number =>
  row.capacity ? pick(row.capacity) : -1
/** Why there is no figure, and the way to one. */
function NotPlaced({ row }: { readonly row: Row }) {
  if (row.unanswered) return <span className="soft">its API does not answer</span>
  return (
    <To path="/shape" query={{ aim: `cluster/${row.name}` }}>
      compute
    </To>
  )
}

const share = (used: number, all: number): string =>
  all === 0 ? '' : ` (${Math.round((100 * used) / all)} %)`

const columns: readonly Column<Row>[] = [
  {
    name: 'cluster',
    value: (row) => row.name,
    show: (row) => (
      <To path="/shape/board" query={{ aim: `cluster/${row.name}` }} className="mono">
        {row.name}
      </To>
    ),
  },
  { name: 'state', value: (row) => row.state, show: (row) => <StateText state={row.state} /> },
  { name: 'nodes', value: (row) => row.nodes, number: true },
  {
    name: 'cores asked',
    value: (row) => of(row, (c) => c.cpuRequested),
    show: (row) =>
      row.capacity ? (
        `${numberText(row.capacity.cpuRequested / 1000, 1)} of ${numberText(row.capacity.cpuMilli / 1000, 1)}${share(row.capacity.cpuRequested, row.capacity.cpuMilli)}`
      ) : (
        <NotPlaced row={row} />
      ),
    number: true,
  },
  {
    name: 'GiB asked',
    value: (row) => of(row, (c) => c.memoryRequested),
    show: (row) =>
      row.capacity ? (
        `${numberText(row.capacity.memoryRequested / GiB, 1)} of ${numberText(row.capacity.memoryBytes / GiB, 1)}${share(row.capacity.memoryRequested, row.capacity.memoryBytes)}`
      ) : (
        <NotPlaced row={row} />
      ),
    number: true,
  },
  {
    name: 'pods',
    value: (row) => of(row, (c) => c.pods),
    show: (row) =>
      row.capacity ? `${row.capacity.pods} of ${row.capacity.podLimit}` : <NotPlaced row={row} />,
    number: true,
  },
  {
    name: 'waiting',
    value: (row) => of(row, (c) => c.waiting),
    show: (row) => (row.capacity ? String(row.capacity.waiting) : <NotPlaced row={row} />),
    number: true,
  },
  {
    name: 'room for',
    value: (row) => of(row, (c) => c.headroom?.fits ?? 0),
    show: (row) =>
      row.capacity?.headroom ? (
        `${row.capacity.headroom.fits} more of ${row.capacity.headroom.workload.split('/').at(-1) ?? ''}`
      ) : (
        <NotPlaced row={row} />
      ),
  },
  {
    name: 'if a zone is lost',
    value: (row) => row.capacity?.losses.map((loss) => loss.homeless).join() ?? '',
    show: (row) => (row.capacity ? lossText(row.capacity) : <NotPlaced row={row} />),
    wraps: true,
  },
]

function zoneLossText({ homeless, moved }: Capacity['losses'][number]): string {
  if (homeless > 0)
    return `${homeless} of ${moved} pods ${homeless === 1 ? 'finds' : 'find'} no place`
  return moved === 1 ? 'its pod finds room' : `all ${moved} pods find room`
}

const mostBars = 9

/** What the loss of each zone would leave: pods that find room elsewhere, and pods that do not. */
function ZoneLosses({ rows }: { readonly rows: readonly Row[] }) {
  const losses = rows
    .flatMap((row) =>
      (row.capacity?.losses ?? []).map((loss) => ({
        ...loss,
        name: `${row.name} without ${loss.zone}`,
      })),
    )
    .filter((loss) => loss.moved > 0)
    .sort((a, b) => b.homeless - a.homeless || b.moved - a.moved)
    .slice(0, mostBars)
  if (losses.length === 0) return null
  return (
    <BarChart
      title="What a lost zone leaves"
      label="Pods by lost zone"
      unit="pods that stood in the zone"
      isStacked
      series={[
        { name: 'find room elsewhere', token: '--petrol' },
        { name: 'find no place', token: '--broken' },
      ]}
      bars={losses.map((loss) => ({
        name: loss.name,
        values: [loss.moved - loss.homeless, loss.homeless],
      }))}
      text={(pods) => countText(pods, 'pod')}
    />
  )
}

/** Pods that wait and zones that must not be lost, of the clusters that are placed here; null where none is. */
function roomText(rows: readonly Row[]): AttentionProps | null {
  const placed = rows.flatMap((row) => row.capacity ?? [])
  if (placed.length === 0) return null
  const waiting = placed.reduce((sum, capacity) => sum + capacity.waiting, 0)
  const fatal = placed.filter(({ losses }) => losses.some((loss) => loss.homeless > 0)).length
  const all = placed.length === rows.length ? '' : `, in the ${placed.length} placed here`
  return {
    wants: [
      ...(waiting > 0 ? [countText(waiting, 'pod waits for room', 'pods wait for room')] : []),
      ...(fatal > 0
        ? [
            countText(
              fatal,
              'cluster has no room for a lost zone',
              'clusters have no room for a lost zone',
            ),
          ]
        : []),
    ],
    well: `every pod has a place, also without any one zone${all}`,
  }
}

export default function Shape({ loaderData }: Route.ComponentProps) {
  const { rows, at } = loaderData
  const navigate = useNavigate()
  const address = useAddress()
  const chosen = rows.find((row) => row.name === at)
  const room = roomText(rows)
  return (
    <Page
      title="Shape"
      beside={
        room ? (
          <Attention {...room} />
        ) : (
          <span className="soft">what runs, whether it fits, and what it costs</span>
        )
      }
      reason={
        chosen?.capacity ? (
          <>
            <h2 className="mono">{chosen.name}</h2>
            <p>{chosen.says}</p>
            <h3>If a zone is lost</h3>
            <ul className="facts">
              {chosen.capacity.losses.map((loss) => (
                <li key={loss.zone}>
                  <span className="mono">{loss.zone}</span>
                  <span className="source">{zoneLossText(loss)}</span>
                </li>
              ))}
            </ul>
            <p className="soft">Placed anew on a copy, as the scheduler would.</p>
            <p>
              <To path="/shape/board">Open its board</To>
            </p>
          </>
        ) : (
          <p className="soft">
            Choose a cluster to see what the loss of each of its zones would leave without a place.
            “Room for” is how many more pods of its largest workload would fit, placed one by one.
          </p>
        )
      }
    >
      <ShapeTabs here="/shape" />
      <Table
        name="clusters"
        columns={columns}
        rows={rows}
        id={(row) => row.name}
        selected={at}
        onSelect={(row) => void navigate(address('/shape', { aim: `cluster/${row.name}` }))}
        empty={
          <Empty title="No cluster yet" first={<To path="/raise">Raise one</To>}>
            Shape tells of every cluster how much of it is asked for, how much more fits, and what
            the loss of a zone would leave without a place.
          </Empty>
        }
      />
      <ZoneLosses rows={chosen ? [chosen] : rows} />
    </Page>
  )
}
