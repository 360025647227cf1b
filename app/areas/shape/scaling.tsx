/** Scaling: which workloads follow their load, and the day ahead of one of them, replayed over a curve. */
import Button from '@mui/material/Button'
import { useNavigate } from 'react-router'
import {
  clusterOf,
  type ClusterView,
  type MachineView,
  nodesOf,
  siteOf,
  type SiteView,
  workloadsIn,
} from '~/core/fleet'
import { scalablePools } from '~/core/keeping'
import { estimates } from '~/core/provisioning'
import { boardObjects } from '~/core/placement'
import { machineHourly } from '~/core/spend'
import { countText, listText } from '~/core/units'
import type { FleetPictures } from '~/server/fleet/pictures'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { Attention } from '../../parts/attention'
import { DraftChange } from '../../parts/draft-change'
import { type Column, Table } from '../../kit/table/table'
import { To, useAddress } from '../../parts/to'
import { aimedCluster, ShapeTabs } from './tabs'
import './shape.css'
import { fleetAsked } from '../moment'
import type { Route } from './+types/scaling'
import { Day } from './day'
import { type Scaler, scalerOf } from './scaler'
import { Empty } from '../../kit/empty'

export const meta: Route.MetaFunction = () => [{ title: 'Scaling · Gyrarch' }]

const maxClusters = 12

/** How long a new node takes to be ready, in seconds. */
function startSeconds(site: SiteView | undefined): number {
  const { createInHall, bootInHall, createInCloud, bootInCloud, joinNode } = estimates
  const [create, boot] =
    site?.kind === 'hall' ? [createInHall, bootInHall] : [createInCloud, bootInCloud]
  return create.likely + boot.likely + joinNode.likely
}

/** What each node of a cluster costs an hour, by its name. */
function hourlyByNode(
  cluster: ClusterView,
  site: SiteView | undefined,
): Readonly<Record<string, number>> {
  const machines = new Map((site?.machines ?? []).map((machine) => [machine.name, machine]))
  const costOf = (machine: MachineView | undefined): number =>
    site && machine ? machineHourly(site, machine) : 0
  return Object.fromEntries(
    nodesOf(cluster).map((node) => [node.name, costOf(machines.get(node.machine))]),
  )
}

/** The autoscalers of the clusters aimed at: of many clusters, those of the first twelve. */
async function scalersOf(
  fleet: FleetPictures,
  clusters: readonly ClusterView[],
): Promise<readonly Scaler[]> {
  const scalers: Scaler[] = []
  for (const { name } of clusters.slice(0, maxClusters)) {
    const objects = (await fleet.objectsOf(name)) ?? []
    const workloads = workloadsIn(objects)
    for (const object of objects) {
      const scaler = scalerOf(object, name, workloads)
      if (scaler) scalers.push(scaler)
    }
  }
  return scalers
}

export async function loader({ request, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const fleet = await fleetAsked(gyrarch, request)
  const view = await fleet.view()
  const aim = aimedCluster(request)
  const scalers = await scalersOf(
    fleet,
    view.clusters.filter((cluster) => aim === null || cluster.name === aim),
  )
  const wanted = new URL(request.url).searchParams.get('scaler')
  const chosen =
    scalers.find((scaler) => `${scaler.cluster}/${scaler.namespace}/${scaler.name}` === wanted) ??
    null
  if (!chosen)
    return {
      scalers,
      chosen: null,
      objects: [],
      hourly: {},
      measured: null,
      from: Date.parse(view.now),
      pools: [],
      startSeconds: 0,
      autoscale: null,
    }
  const from = Date.parse(view.now)
  const cluster = clusterOf(view, chosen.cluster)
  const site = cluster && siteOf(view, cluster.site)
  const objects = (await fleet.objectsOf(chosen.cluster)) ?? []
  const hourly = cluster ? hourlyByNode(cluster, site) : {}
  const metrics = await gyrarch.observe.load(
    chosen.cluster,
    chosen.workload.split('/').slice(1).join('/'),
    from - 86_400_000,
    from,
    60_000,
  )
  return {
    scalers,
    chosen,
    objects: boardObjects(objects),
    hourly,
    measured: metrics?.map(({ value }) => value) ?? null,
    from,
    pools: (cluster ? scalablePools(cluster, view) : []).map(({ make, ...pool }) => ({
      ...pool,
      like: make(pool.name),
    })),
    startSeconds: startSeconds(site),
    autoscale: cluster?.autoscale ?? null,
  }
}

type Row = Route.ComponentProps['loaderData']['scalers'][number]

const columns: readonly Column<Row>[] = [
  {
    name: 'autoscaler',
    value: (row) => row.name,
    show: (row) => <span className="mono">{row.name}</span>,
  },
  {
    name: 'cluster',
    value: (row) => row.cluster,
    show: (row) => <span className="mono">{row.cluster}</span>,
  },
  { name: 'namespace', value: (row) => row.namespace },
  { name: 'scales', value: (row) => row.workload },
  {
    name: 'replicas',
    value: (row) => row.replicas,
    show: (row) => `${row.replicas} of ${row.min}–${row.max}`,
    number: true,
  },
  { name: 'follows', value: (row) => row.follows },
]

type Data = Route.ComponentProps['loaderData']

/** The pools that may scale along, and the change that lets them or keeps them. */
function ScalingPools({
  cluster,
  pools,
  scales,
}: Pick<Data, 'pools'> & { readonly cluster: string; readonly scales: boolean }) {
  if (pools.length === 0) return null
  return (
    <>
      <h3>Pools that may scale</h3>
      <ul className="facts">
        {pools.map((pool) => (
          <li key={pool.name}>
            <span>{pool.name}</span>
            <span className="source">
              {pool.count} of {pool.min} to {pool.max}
            </span>
          </li>
        ))}
      </ul>
      <div className="acts">
        <DraftChange kind="cluster.autoscale" intent={{ cluster, enabled: !scales }}>
          {scales ? 'Draft keeping them as they are' : 'Draft letting them scale'}
        </DraftChange>
      </div>
    </>
  )
}

function ScalerReason({ data, chosen }: { readonly data: Data; readonly chosen: Scaler }) {
  const navigate = useNavigate()
  const address = useAddress()
  return (
    <>
      <h2 className="mono">{chosen.name}</h2>
      <dl className="facts">
        <div>
          <dt>scales</dt>
          <dd>{chosen.workload.split('/').slice(1).join('/')}</dd>
        </div>
        <div>
          <dt>replicas now</dt>
          <dd>
            {chosen.replicas} of {chosen.min} to {chosen.max}
          </dd>
        </div>
        <div>
          <dt>follows</dt>
          <dd>{chosen.follows}</dd>
        </div>
      </dl>
      <p className="soft" style={{ marginBottom: 10 }}>
        Every 15 s the load is compared with the target; a tenth off is left alone. Up at once by
        the larger of all again and four; down after five minutes without a higher wish. Pods are
        placed on a copy of the cluster and wait where no node takes them.
      </p>
      <ScalingPools
        cluster={chosen.cluster}
        pools={data.pools}
        scales={data.autoscale?.enabled === true}
      />
      <Button
        variant="outlined"
        style={{ marginTop: 10 }}
        onClick={() => void navigate(address('/shape/scaling'))}
      >
        All autoscalers
      </Button>
    </>
  )
}

/** Autoscalers that can make no more: beyond it their load has nowhere to go. */
function AtTheirMost({ scalers }: Pick<Data, 'scalers'>) {
  const full = scalers.filter((scaler) => scaler.replicas >= scaler.max).map(({ name }) => name)
  if (scalers.length === 0) return null
  return (
    <Attention
      wants={full.length > 0 ? [`at the most they may: ${listText(full, 3)}`] : []}
      well={`${countText(scalers.length, 'autoscaler')}, none at its most`}
    />
  )
}

export default function Scaling({ loaderData }: Route.ComponentProps) {
  const { scalers, chosen } = loaderData
  const navigate = useNavigate()
  const address = useAddress()
  const key = (row: Scaler): string => `${row.cluster}/${row.namespace}/${row.name}`
  return (
    <Page
      title={chosen ? `A day ahead for ${chosen.name}` : 'Scaling'}
      beside={
        chosen ? <span className="soft">{chosen.cluster}</span> : <AtTheirMost scalers={scalers} />
      }
      reason={
        chosen ? (
          <ScalerReason data={loaderData} chosen={chosen} />
        ) : (
          <p className="soft">
            Choose an autoscaler to see the day ahead of its workload: over the load of the last
            day, over one you draw, or over one from a file.
          </p>
        )
      }
    >
      <ShapeTabs here="/shape/scaling" />
      {chosen ? (
        <Day key={key(chosen)} data={{ ...loaderData, chosen }} />
      ) : (
        <Table
          name="autoscalers"
          columns={columns}
          rows={scalers}
          id={key}
          onSelect={(row) => void navigate(address('/shape/scaling', { scaler: key(row) }))}
          empty={
            <Empty
              title="No workload scales by itself here"
              first={<To path="/shape/manifests">Write an autoscaler</To>}
            >
              An autoscaler, a manifest of kind HorizontalPodAutoscaler, keeps a workload at as many
              replicas as its load asks for. Once there is one, its day ahead is replayed here: over
              the load that was measured, or over one you draw.
            </Empty>
          }
        />
      )}
    </Page>
  )
}
