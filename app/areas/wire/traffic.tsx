/** Traffic: what each service is asked and how it answers, and routes whose calls are moved from version to version. */
import { listedObjects, trafficIn } from '~/core/fleet'
import { useState } from 'react'
import { useSearchParams } from 'react-router'
import { ofKind } from '~/core/objects'
import { countText, listText, numberText } from '~/core/units'
import { serviceCurve, serviceUse, type ServiceUse } from '~/core/wire/changes'
import { gyrarchContext } from '../../context'
import { TimeChart } from '../../kit/chart/chart'
import { Page } from '../../frame/page'
import { DraftChange } from '../../parts/draft-change'
import { StateGlyph } from '../../parts/state'
import { type Column, Table } from '../../kit/table/table'
import { ChooseCluster } from '../../parts/choose-cluster'
import { WireTabs } from './tabs'
import { aimed } from './wire-data'
import './wire.css'
import type { Route } from './+types/traffic'
import Button from '@mui/material/Button'
import { Notice } from '../../kit/notice'
import { NumberField } from '../../kit/number-field'
import { Empty } from '../../kit/empty'
import { To } from '../../parts/to'

export const meta: Route.MetaFunction = () => [{ title: 'Traffic · Gyrarch' }]

const points = 49

export async function loader({ request, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const { view, cluster } = await aimed(gyrarch, request)
  if (!cluster)
    return { cluster: null, clusters: view.clusters.map((eachCluster) => eachCluster.name) }
  const traffic = trafficIn(view, cluster.name)
  const search = new URL(request.url).searchParams
  const rows = serviceUse(traffic, view.now)
  const routes = ofKind(listedObjects(view, cluster.name), 'HTTPRoute').flatMap((route) =>
    (route.spec?.rules ?? []).flatMap((rule, index) => {
      const namespace = route.metadata.namespace ?? 'default'
      const backends = (rule.backendRefs ?? []).map((backend) => ({
        name: backend.name,
        weight: backend.weight ?? 1,
        use: rows.find((row) => row.service === `${namespace}/${backend.name}`) ?? null,
      }))
      return backends.length < 1
        ? []
        : [
            {
              key: `${namespace}/${route.metadata.name}`,
              rule: index,
              hosts: route.spec?.hostnames ?? [],
              backends,
            },
          ]
    }),
  )
  const wanted = search.get('service')
  const route = routes.find((route) => `${route.key} ${route.rule}` === search.get('route')) ?? null
  // Without a choice the one that fails most is drawn, else the busiest.
  const first = [...rows].sort((a, b) => b.failing - a.failing || b.perSecond - a.perSecond)[0]
  let shown: string[]
  const isCalled = rows.some((row) => row.service === wanted)
  if (wanted !== null && isCalled) shown = [wanted]
  else if (route)
    shown = route.backends.map((backend) => `${route.key.split('/')[0] ?? ''}/${backend.name}`)
  else if (first) shown = [first.service]
  else shown = []
  return {
    cluster: cluster.name,
    clusters: [],
    rows,
    routes,
    route,
    /** The service that was asked for, where nobody calls it. */
    uncalled: wanted === null || isCalled ? null : wanted.slice(0, 200),
    service: route ? null : (shown[0] ?? null),
    curves: shown.map((service) => ({
      service,
      points: serviceCurve(traffic, service, view.now, points),
    })),
  }
}

const columns: readonly Column<ServiceUse>[] = [
  {
    name: 'called',
    value: (row) => row.service,
    show: (row) => <span className="mono">{row.service}</span>,
  },
  {
    name: 'a second',
    value: (row) => row.perSecond,
    show: (row) => numberText(row.perSecond, 1),
    number: true,
  },
  {
    name: 'failing',
    value: (row) => (row.perSecond === 0 ? 0 : row.failing / row.perSecond),
    show: (row) =>
      row.failing === 0 ? (
        '0 %'
      ) : (
        <>
          <StateGlyph state="broken" /> {numberText((100 * row.failing) / row.perSecond, 1)} %
        </>
      ),
    number: true,
  },
  {
    name: 'median',
    value: (row) => row.medianMs,
    show: (row) => `${numberText(row.medianMs, 1)} ms`,
    number: true,
  },
  {
    name: 'in a day',
    value: (row) => row.calls,
    show: (row) => numberText(row.calls),
    number: true,
  },
  {
    name: 'callers',
    value: (row) => row.callers.join(', '),
    show: (row) => listText(row.callers, 2),
    wraps: true,
  },
]

type Route_ = NonNullable<Route.ComponentProps['loaderData']['routes']>[number]

function Shift({ cluster, route }: { readonly cluster: string; readonly route: Route_ }) {
  const [weights, setWeights] = useState<Readonly<Record<string, number>>>(
    Object.fromEntries(route.backends.map((backend) => [backend.name, backend.weight])),
  )
  const [steps, setSteps] = useState(5)
  const [every, setEvery] = useState(60)
  const [failures, setFailures] = useState(5)
  const sum = route.backends.reduce((total, backend) => total + backend.weight, 0)
  const next = Object.values(weights).reduce((total, weight) => total + weight, 0)
  const whole = (value: number | undefined, max: number): number =>
    Math.max(0, Math.min(max, Math.trunc(value ?? 0)))
  return (
    <section aria-label="Shift the traffic">
      <div className="soft">
        route{route.hosts.length > 0 ? ` of ${listText(route.hosts, 2)}` : ''}
      </div>
      <h2>{route.key}</h2>
      <div className="wire-form">
        {route.backends.map((backend) => (
          <NumberField
            key={backend.name}
            label={`Weight of ${backend.name}`}
            width="100%"
            max={1_000_000}
            value={weights[backend.name] ?? 0}
            help={`${sum === 0 ? 0 : numberText((100 * backend.weight) / sum)} % now${
              next === 0
                ? ''
                : `, ${numberText((100 * (weights[backend.name] ?? 0)) / next)} % then`
            }`}
            onChange={(weight) =>
              setWeights((was) => ({ ...was, [backend.name]: whole(weight, 1_000_000) }))
            }
          />
        ))}
        <NumberField
          label="In steps"
          min={1}
          max={20}
          value={steps}
          onChange={(count) => setSteps(Math.max(1, whole(count, 20)))}
        />
        <NumberField
          label="Seconds each"
          min={10}
          max={86_400}
          value={every}
          onChange={(seconds) => setEvery(whole(seconds, 86_400))}
        />
        <NumberField
          label="Turn back above, % failing"
          max={100}
          value={failures}
          width={170}
          onChange={(percent) => setFailures(whole(percent, 100))}
        />
      </div>
      {next === 0 ? <Notice>The weights sum to 0: nobody would answer.</Notice> : null}
      <DraftChange
        kind="wire.shift"
        intent={{
          cluster,
          route: route.key,
          rule: route.rule,
          weights,
          steps,
          everySeconds: Math.max(10, every),
          failures: failures / 100,
        }}
        variant="contained"
      >
        Draft the shift
      </DraftChange>
    </section>
  )
}

const inks = ['--petrol', '--brass', '--working', '--ink-soft']

type Curves = NonNullable<Route.ComponentProps['loaderData']['curves']>
type Point = Curves[number]['points'][number]

/** Requests, failures and, of one service alone, its answer time over the last day. */
function Charts({ curves }: { readonly curves: Curves }) {
  const times = (curves[0]?.points ?? []).map((point) => Date.parse(point.at))
  if (times.length === 0) return null
  const charts: readonly (readonly [string, string, (point: Point) => number])[] = [
    ['requests', 'a second', ({ perSecond }) => perSecond],
    ['failing', '%', ({ failed }) => 100 * failed],
    ...(curves.length === 1
      ? [['median answer', 'ms', ({ medianMs }: Point) => medianMs] as const]
      : []),
  ]
  return (
    <div className="chart-grid">
      {charts.map(([name, unit, pick]) => (
        <TimeChart
          key={name}
          label={`${name} over the last day`}
          height={168}
          left={unit}
          right=""
          times={times}
          curves={curves.map(({ service, points }, i) => ({
            name: `${service.split('/')[1] ?? service}: ${name}`,
            axis: 'left' as const,
            token: inks[i % inks.length] ?? '--petrol',
            isStepped: true,
            values: points.map(pick),
          }))}
        />
      ))}
    </div>
  )
}

/** The routes whose calls can be moved between versions. */
function RouteList({
  service,
  routes,
  onShift,
}: {
  readonly service: string | null
  readonly routes: readonly Route_[]
  readonly onShift: (route: Route_) => void
}) {
  return (
    <>
      <h2>{service ?? 'Routes'}</h2>
      <p className="soft">
        {service
          ? 'Drawn over the last day, from when it was first seen.'
          : 'Choose a route to move its calls between versions.'}
      </p>
      <ul className="plain-list">
        {routes.map((route) => (
          <li key={`${route.key}${route.rule}`} className="wire-remedy">
            <p>
              <b className="mono">{route.key}</b> {listText(route.hosts, 2)}
              <br />
              {route.backends.map((backend) => `${backend.name} ${backend.weight}`).join(', ')}
            </p>
            <Button variant="text" onClick={() => onShift(route)}>
              Shift its traffic
            </Button>
          </li>
        ))}
        {routes.length === 0 ? (
          <li className="soft">No route yet. Lead a host to a service first.</li>
        ) : null}
      </ul>
    </>
  )
}

export default function TrafficPage({ loaderData }: Route.ComponentProps) {
  const [, setSearch] = useSearchParams()
  const { cluster, rows, routes } = loaderData
  if (cluster === null || !rows) {
    return (
      <Page title="Traffic" reason={<p className="soft">Calls are counted inside a cluster.</p>}>
        <WireTabs here="/wire/traffic" />
        <ChooseCluster
          clusters={loaderData.clusters}
          path="/wire/traffic"
          title="Calls, failures and answer times"
          says="Traffic is counted inside a cluster. Point at one to see what its services answer, and to move calls between versions in steps."
        />
      </Page>
    )
  }
  const { route, curves, service, uncalled } = loaderData
  /** Shows one service or one route, never both. */
  const show = (name: 'service' | 'route', value: string): void =>
    setSearch((before) => {
      before.delete(name === 'route' ? 'service' : 'route')
      before.set(name, value)
      return before
    })
  const failing = rows.filter((row) => row.failing > 0).length
  return (
    <Page
      title={`Traffic in ${cluster}`}
      beside={
        <a href={`/api/v1/clusters/${cluster}/metrics`} className="soft">
          as OpenMetrics text
        </a>
      }
      reason={
        route ? (
          <Shift
            key={`${route.key}${route.rule}${route.backends.map((backend) => backend.weight).join()}`}
            cluster={cluster}
            route={route}
          />
        ) : (
          <RouteList
            service={service}
            routes={routes}
            onShift={({ key, rule }) => show('route', `${key} ${rule}`)}
          />
        )
      }
    >
      <WireTabs here="/wire/traffic" />
      {uncalled === null ? null : (
        <Notice level="note">
          Nobody was seen calling {uncalled} in the last day.{' '}
          <To path="/shape/manifests" query={{ object: `Service/${uncalled}` }}>
            Its manifest
          </To>
        </Notice>
      )}
      <Charts curves={curves} />
      <Table
        name={`services of ${cluster}`}
        columns={columns}
        rows={rows}
        id={(row) => row.service}
        selected={service}
        onSelect={(row) => show('service', row.service)}
        empty={
          <Empty
            title="Nobody was seen calling anybody"
            first={<To path="/wire/hosts">Lead a host to a service</To>}
          >
            Calls between services are counted here: how many, how many fail, how long they take. A
            host that leads to a service brings the first ones in.
          </Empty>
        }
        tools={<span className="soft">{countText(failing, 'service')} with failures now</span>}
      />
    </Page>
  )
}
