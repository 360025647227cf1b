/** Scaling: which workloads follow their load, and the day ahead of one of them, replayed over a curve. */
import Button from '@mui/material/Button'
import Papa from 'papaparse'
import { lazy, Suspense, useEffect, useMemo, useRef, useState } from 'react'
import { useNavigate } from 'react-router'
import { clusterOf, siteOf, workloadsIn } from '~/core/fleet'
import { scalablePools } from '~/core/keeping'
import { estimates } from '~/core/provisioning'
import { boardObjects, type BoardObject } from '~/core/placement'
import type { DayAhead } from '~/core/scaling'
import { machineHourly } from '~/core/spend'
import { durationText, moneyText, numberText } from '~/core/units'
import type { DayAnswer, DayQuestion } from '~/workers/day.worker'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { DraftChange } from '../../parts/draft-change'
import { type Column, saveFile, Table } from '../../parts/table'
import { useAddress } from '../../parts/to'
import { aimedCluster, ShapeTabs } from './tabs'
import './shape.css'
import type { Route } from './+types/scaling'

const LineChart = lazy(() =>
  import('../../drawings/line-chart').then((module) => ({ default: module.LineChart })),
)

export const meta: Route.MetaFunction = () => [{ title: 'Scaling · Gyrarch' }]

interface Scaler {
  readonly cluster: string
  readonly namespace: string
  readonly name: string
  readonly workload: string
  readonly min: number
  readonly max: number
  readonly metric: string
  readonly target: number
  readonly replicas: number
}

interface Hpa {
  readonly metadata: { readonly name: string; readonly namespace?: string }
  readonly spec?: {
    readonly minReplicas?: number
    readonly maxReplicas?: number
    readonly scaleTargetRef?: { readonly kind?: string; readonly name?: string }
    readonly metrics?: readonly {
      readonly pods?: {
        readonly metric?: { readonly name?: string }
        readonly target?: { readonly averageValue?: string }
      }
    }[]
  }
}

export async function loader({ request, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const view = await gyrarch.fleet.view()
  const aim = aimedCluster(request)
  const scalers: Scaler[] = []
  for (const cluster of view.clusters
    .filter((one) => aim === null || one.name === aim)
    .slice(0, 12)) {
    const objects = (await gyrarch.fleet.objectsOf(cluster.name)) ?? []
    const workloads = workloadsIn(objects)
    for (const object of objects) {
      if (object.kind !== 'HorizontalPodAutoscaler') continue
      const { metadata, spec } = object as unknown as Hpa
      const metric = spec?.metrics?.[0]?.pods
      const namespace = metadata.namespace ?? 'default'
      const key = `${spec?.scaleTargetRef?.kind ?? 'Deployment'}/${namespace}/${spec?.scaleTargetRef?.name ?? ''}`
      scalers.push({
        cluster: cluster.name,
        namespace,
        name: metadata.name,
        workload: key,
        min: spec?.minReplicas ?? 1,
        max: spec?.maxReplicas ?? 1,
        metric: metric?.metric?.name ?? '',
        target: Number(metric?.target?.averageValue ?? 0),
        replicas: workloads.find((one) => one.key === key)?.wanted ?? 0,
      })
    }
  }
  const wanted = new URL(request.url).searchParams.get('scaler')
  const chosen =
    scalers.find((one) => `${one.cluster}/${one.namespace}/${one.name}` === wanted) ?? null
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
  const objects = (await gyrarch.fleet.objectsOf(chosen.cluster)) ?? []
  const machines = new Map((site?.machines ?? []).map((machine) => [machine.name, machine]))
  const hourly = Object.fromEntries(
    (cluster?.pools ?? []).flatMap((pool) =>
      pool.nodes.map(
        (node) =>
          [
            node.name,
            site && machines.has(node.machine)
              ? machineHourly(
                  site,
                  machines.get(node.machine) ?? {
                    size: '',
                    cores: 0,
                    lifetime: 'on-demand',
                    zone: '',
                    host: null,
                  },
                )
              : 0,
          ] as const,
      ),
    ),
  )
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
    objects: boardObjects(objects as unknown as readonly BoardObject[]),
    hourly,
    measured: metrics?.map(({ value }) => value) ?? null,
    from,
    pools: (cluster ? scalablePools(cluster, view) : []).map(({ make, ...pool }) => ({
      ...pool,
      like: make(pool.name),
    })),
    startSeconds:
      site?.kind === 'hall'
        ? estimates.createInHall.likely + estimates.bootInHall.likely + estimates.joinNode.likely
        : estimates.createInCloud.likely + estimates.bootInCloud.likely + estimates.joinNode.likely,
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
  {
    name: 'follows',
    value: (row) => row.metric,
    show: (row) => `${row.metric}, ${numberText(row.target)} a replica`,
  },
]

const hours = Array.from({ length: 24 }, (_, i) => i)

/** A load curve of one point an hour, from a measured one of a point a minute. */
const hourly24 = (measured: readonly number[] | null): readonly number[] =>
  hours.map((hour) => Math.round(measured?.[hour * 60] ?? 100))

function useDay(question: Omit<DayQuestion, 'id'> | null): {
  readonly day: DayAhead | null
  readonly says: string | null
  readonly working: boolean
} {
  const worker = useRef<Worker | null>(null)
  const last = useRef(0)
  const [answer, setAnswer] = useState<DayAnswer | null>(null)
  const [asked, setAsked] = useState(0)
  useEffect(() => {
    const made = new Worker(new URL('../../../workers/day.worker.ts', import.meta.url), {
      type: 'module',
    })
    made.onmessage = ({ data }: MessageEvent<DayAnswer>) => {
      if (data.id === last.current) setAnswer(data)
    }
    worker.current = made
    return () => made.terminate()
  }, [])
  useEffect(() => {
    if (!question) return
    const timer = setTimeout(() => {
      const id = ++last.current
      setAsked(id)
      worker.current?.postMessage({ id, ...question } satisfies DayQuestion)
    }, 150)
    return () => clearTimeout(timer)
  }, [question])
  return {
    day: answer?.day ?? null,
    says: answer?.says ?? null,
    working: answer === null || answer.id !== asked,
  }
}

function Day({
  data,
}: {
  readonly data: Route.ComponentProps['loaderData'] & { readonly chosen: Scaler }
}) {
  const { chosen, objects, hourly, measured, from } = data
  const [grows, setGrows] = useState(data.autoscale?.enabled === true)
  const order = data.autoscale?.order ?? 'tightest'
  const [own, setOwn] = useState<readonly number[] | null>(null)
  const [min, setMin] = useState(chosen.min)
  const [max, setMax] = useState(chosen.max)
  const [target, setTarget] = useState(chosen.target)
  // The day begins when the page was opened; what happens meanwhile does not move it.
  const [then] = useState({ from, objects, pools: data.pools, startSeconds: data.startSeconds })
  const curve = useMemo(
    () =>
      own
        ? own.map((load, hour) => ({ seconds: hour * 3600, load }))
        : (measured ?? []).map((load, minute) => ({ seconds: minute * 60, load })),
    [own, measured],
  )
  const question = useMemo(
    () =>
      min <= max && target > 0 && curve.length > 0
        ? {
            plan: {
              objects: then.objects as unknown as DayQuestion['plan']['objects'],
              workload: chosen.workload,
              min,
              max,
              target,
              curve,
              from: then.from,
              hourly,
              nodes: grows ? { pools: then.pools, order, startSeconds: then.startSeconds } : null,
            },
          }
        : null,
    [chosen.workload, min, max, target, curve, hourly, then, grows, order],
  )
  const { day, says, working } = useDay(question)
  const shown = own ?? hourly24(measured)
  const top = Math.max(100, ...shown) * 1.25
  const [begun] = useState(from)
  const zoneHour = (seconds: number): string =>
    new Date(begun + seconds * 1000).toISOString().slice(11, 16)
  const points = useMemo(() => day?.points ?? [], [day])
  const curves = useMemo(
    () => [
      {
        name: 'load (requests/s)',
        values: points.map((point) => point.load),
        axis: 'left' as const,
        token: '--ink-soft',
        isDashed: true,
      },
      {
        name: 'replicas',
        values: points.map((point) => point.replicas),
        axis: 'right' as const,
        token: '--petrol',
        isStepped: true,
      },
      {
        name: 'ready',
        values: points.map((point) => point.ready),
        axis: 'right' as const,
        token: '--well',
        isStepped: true,
      },
      {
        name: 'without a node',
        values: points.map((point) => point.pending),
        axis: 'right' as const,
        token: '--broken',
        isStepped: true,
      },
      {
        name: 'nodes',
        values: points.map((point) => point.nodes),
        axis: 'right' as const,
        token: '--brass',
        isStepped: true,
      },
    ],
    [points],
  )
  const times = useMemo(
    () => points.map((point) => new Date(begun + point.seconds * 1000).toISOString().slice(11, 16)),
    [points, begun],
  )
  return (
    <div className="manifest-page" aria-busy={working}>
      <div className="day-figures" role="status">
        {day ? (
          <>
            <b>
              {day.fewestReplicas}–{day.mostReplicas}
            </b>{' '}
            replicas, {day.changes} changes · <b>{durationText(day.pendingPodSeconds)}</b> of pods
            without a node · <b>{numberText(day.replicaSeconds / 3600, 1)}</b> replica hours ·{' '}
            <b>{moneyText(day.spend)}</b> units for the nodes
          </>
        ) : (
          (says ?? 'replaying the day…')
        )}
      </div>
      <Suspense fallback={<div style={{ height: 300 }} />}>
        {day ? (
          <LineChart
            label="Load, replicas and nodes over the day ahead"
            times={times}
            curves={curves}
            left="requests a second"
            right="replicas, nodes"
            height={300}
          />
        ) : (
          <div style={{ height: 300 }} />
        )}
      </Suspense>
      <div className="board-ask" role="group" aria-label="What if">
        <b>What if</b>
        {(
          [
            ['min', min, setMin],
            ['max', max, setMax],
            ['target', target, setTarget],
          ] as const
        ).map(([name, value, set]) => (
          <label key={name}>
            <span className="soft">{name === 'target' ? 'requests a replica' : name}</span>{' '}
            <input
              className="shape-field mono"
              type="number"
              min={1}
              max={name === 'target' ? 1_000_000 : 1000}
              value={value}
              onChange={(event) => set(Number(event.target.value))}
            />
          </label>
        ))}
        {data.pools.length > 0 ? (
          <label>
            <input
              type="checkbox"
              checked={grows}
              onChange={(event) => setGrows(event.target.checked)}
            />{' '}
            <span className="soft">pools scale too</span>
          </label>
        ) : null}
        <Button variant="outlined" disabled={own === null} onClick={() => setOwn(null)}>
          Load as measured
        </Button>
        <Button
          variant="outlined"
          onClick={() =>
            saveFile(
              'load.csv',
              'text/csv',
              Papa.unparse([
                ['hour', 'requests a second'],
                ...shown.map((load, hour) => [hour, load]),
              ]),
            )
          }
        >
          CSV
        </Button>
        <label className="soft file-choice">
          From a CSV file
          <input
            type="file"
            className="visually-hidden"
            accept=".csv,text/csv"
            onChange={(event) => {
              void event.target.files?.[0]?.text().then((text) => {
                const rows = Papa.parse<string[]>(text.trim())
                  .data.map((row) => Number(row.at(-1)))
                  .filter((value) => Number.isFinite(value) && value >= 0)
                if (rows.length >= 24) setOwn(rows.slice(0, 24))
              })
            }}
          />
        </label>
      </div>
      <fieldset className="day-draw">
        <legend className="soft">Load by hour of the day ahead, drawn by hand</legend>
        {shown.map((load, hour) => (
          <label key={hour}>
            <input
              type="range"
              min={0}
              max={Math.round(top)}
              step={10}
              value={load}
              aria-label={`Load at ${zoneHour(hour * 3600)}`}
              aria-valuetext={`${load} requests a second`}
              onChange={(event) =>
                setOwn(shown.map((other, i) => (i === hour ? Number(event.target.value) : other)))
              }
            />
            <span className="mono">{zoneHour(hour * 3600).slice(0, 2)}</span>
          </label>
        ))}
      </fieldset>
    </div>
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
      beside={chosen ? <span className="soft">{chosen.cluster}</span> : null}
      reason={
        chosen ? (
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
                <dd>
                  {chosen.metric}, {numberText(chosen.target)} a replica
                </dd>
              </div>
            </dl>
            <p className="soft" style={{ marginBottom: 10 }}>
              Every 15 s the load is compared with the target; a tenth off is left alone. Up at once
              by the larger of all again and four; down after five minutes without a higher wish.
              Pods are placed on a copy of the cluster and wait where no node takes them.
            </p>
            {loaderData.pools.length > 0 ? (
              <>
                <h3>Pools that may scale</h3>
                <ul className="facts">
                  {loaderData.pools.map((pool) => (
                    <li key={pool.name}>
                      <span>{pool.name}</span>
                      <span className="source">
                        {pool.count} of {pool.min} to {pool.max}
                      </span>
                    </li>
                  ))}
                </ul>
                <div className="acts">
                  <DraftChange
                    kind="cluster.autoscale"
                    intent={{
                      cluster: chosen.cluster,
                      enabled: loaderData.autoscale?.enabled !== true,
                    }}
                  >
                    {loaderData.autoscale?.enabled === true
                      ? 'Draft keeping them as they are'
                      : 'Draft letting them scale'}
                  </DraftChange>
                </div>
              </>
            ) : null}
            <Button
              variant="outlined"
              style={{ marginTop: 10 }}
              onClick={() => void navigate(address('/shape/scaling'))}
            >
              All autoscalers
            </Button>
          </>
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
          empty="No workload scales by itself here. An autoscaler is a manifest of kind HorizontalPodAutoscaler."
        />
      )}
    </Page>
  )
}
