import { useMemo } from 'react'
import { useNavigate, useSearchParams } from 'react-router'
import { type FleetView, labelledAs, labelsInUse } from '~/core/fleet'
import { isUnsupported } from '~/core/releases'
import { bytesText, countText, moneyText, numberText } from '~/core/units'
import { breath } from '~/server/breath'
import type { Gyrarch } from '~/server/gyrarch'
import { gyrarchContext } from '../../context'
import { Gyre } from '../../drawings/gyre'
import {
  findInTree,
  gyreLayout,
  type Measure,
  measures,
  readings,
} from '../../drawings/gyre-layout'
import { Page } from '../../frame/page'
import { useKey } from '../../frame/keys'
import { Reason } from '../../parts/reason'
import { Choice } from '../../kit/choice'
import { Table } from '../../kit/table/table'
import { To, useAddress } from '../../parts/to'
import { reasonFor, withCase } from '../reason-data'
import { fleetAsked } from '../moment'
import { packed, usePacked } from '../packed'
import type { Route } from './+types/fleet'
import './fleet.css'
import { columnsFor } from './columns'
import { type Want, notWell, rowsOf, gathered } from './rows'
import { Wants } from './wants'
import { zoomedTree } from './zoomed-tree'

export const meta: Route.MetaFunction = () => [{ title: 'Fleet · Gyrarch' }]

const oneOf = <T extends string>(request: string | null, all: readonly T[], otherwise: T): T =>
  all.find((entry) => entry === request) ?? otherwise

/** Everything that wants somebody: halted runs first, then what is not well, and what is under way. */
async function wantsOf(
  gyrarch: Gyrarch,
  view: FleetView,
  isNow: boolean,
): Promise<readonly Want[]> {
  // Of the past only what was observed is told: what is wanted of somebody now is another matter.
  const changes = isNow
    ? await gyrarch.changes.list({ states: ['running', 'halted', 'undoing', 'waiting'] })
    : []
  const returned = isNow
    ? (await gyrarch.changes.list({ states: ['draft'] })).filter((row) => row.returned)
    : []
  const causes = isNow ? await gyrarch.health.causes() : []
  const explained = new Set(
    causes.flatMap(({ nodes }) => nodes.map(({ cluster, node }) => `node/${cluster}/${node}`)),
  )
  return [
    ...changes
      .filter((row) => row.state === 'halted')
      .map((row): Want => ({
        ref: `change/c-${row.number}`,
        name: row.label,
        state: 'broken',
        says: `halted: ${row.cause?.says ?? 'see the run'}`,
        path: `/changes/c-${row.number}`,
      })),
    ...causes.map((cause): Want => {
      const cluster = cause.nodes[0]?.cluster ?? ''
      return {
        ref: `cause/${cluster}/${cause.code}`,
        name: cluster,
        state: 'broken',
        says: `${cause.says}${cause.remedies[0] ? ` ${cause.remedies[0].says}.` : ''}`,
        path: `/clusters/${cluster}`,
      }
    }),
    ...notWell(gyrarch.tree(view)).filter((want) => !explained.has(want.ref)),
    ...view.clusters.flatMap((cluster): Want[] => {
      const release = view.catalogue.find((release) => release.version === cluster.release)
      return release && isUnsupported(release, view.now)
        ? [
            {
              ref: `cluster/${cluster.name}`,
              name: cluster.name,
              state: 'strained',
              says: `release ${cluster.release}: support ended ${release.endOfSupport}`,
              path: null,
            },
          ]
        : []
    }),
    ...returned.map((row): Want => ({
      ref: `change/c-${row.number}`,
      name: row.label,
      state: 'strained',
      says: `came back to you: ${row.returned?.says ?? ''}`,
      path: `/changes/c-${row.number}`,
    })),
    ...changes
      .filter((row) => row.state !== 'halted')
      .map((row): Want => ({
        ref: `change/c-${row.number}`,
        name: row.label,
        state: row.state === 'waiting' ? 'resting' : 'working',
        says: row.state === 'waiting' ? `waits for ${row.waitsFor ?? 'another change'}` : row.state,
        path: `/changes/c-${row.number}`,
      })),
  ]
}

/** The fleet with only the clusters that have a label; whole without one, or where nothing is so labelled. */
function withLabel(view: FleetView, label: string): FleetView {
  const labelled = label === '' ? null : labelledAs(view.clusters, label)
  if (!labelled?.ok) return view
  return { ...view, clusters: view.clusters.filter(({ name }) => labelled.names.includes(name)) }
}

export async function loader({ request, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const fleet = await fleetAsked(gyrarch, request)
  const search = new URL(request.url).searchParams
  const whole = await fleet.view()
  const label = search.get('label') ?? ''
  const view = withLabel(whole, label)
  const measure = oneOf(search.get('size'), measures, 'cpu')
  const reading = oneOf(search.get('fill'), readings, 'state')
  const zoom = search.get('zoom')
  const tree = await zoomedTree(fleet, gyrarch.tree(view), zoom)
  const asTable = search.get('as') === 'table'
  const scope = (zoom === null ? null : findInTree(tree, zoom)?.at(-1)) ?? tree
  await breath()
  const wants = await wantsOf(gyrarch, view, fleet === gyrarch.fleet)
  await breath()
  const groups = gathered(wants)
  const rows = asTable ? rowsOf(scope) : []
  await breath()
  const on = search.get('on')
  const podAt = on?.startsWith('pod/') ? (findInTree(tree, on)?.at(-1) ?? null) : null
  return {
    now: view.now,
    measure,
    reading,
    asTable,
    label,
    labels: labelsInUse(whole.clusters),
    layout: asTable ? null : gyreLayout(tree, zoom, measure, reading, Date.parse(view.now)),
    trail: ((zoom === null ? null : findInTree(tree, zoom)) ?? [tree]).map((node) => ({
      ref: node.ref,
      name: node.name,
    })),
    rows: packed(rows),
    totals: { nodes: scope.nodes, clusters: view.clusters.length },
    groups: groups.slice(0, mostGroups).map((group) => ({
      ...group,
      count: group.wants.length,
      wants: group.wants.slice(0, mostNamed),
    })),
    more: Math.max(0, groups.length - mostGroups),
    reason: withCase(reasonFor(view, on, podAt), await gyrarch.cases.openAbout(on)),
    empty: view.sites.length === 0,
  }
}

/** So many lines of what wants somebody are shown, and so many names of a line that speaks of many. */
const mostGroups = 60
const mostNamed = 200

/** The total in the middle, in the unit of the measure. */
function totalText(
  measure: Measure,
  value: number,
): { readonly total: string; readonly unit: string } {
  switch (measure) {
    case 'cpu':
      return { total: numberText(value), unit: 'CPU cores' }
    case 'memory':
      return { total: bytesText(value), unit: 'memory' }
    case 'pods':
      return { total: numberText(value), unit: value === 1 ? 'pod' : 'pods' }
    case 'spend':
      return { total: moneyText(value), unit: 'units a month' }
  }
}

const readingLegend: Readonly<Record<string, string>> = {
  pressure: 'darker: more asked of what there is',
  release: 'darker: older release',
  age: 'darker: older, up to two years',
}

type Data = Route.ComponentProps['loaderData']
type Query = Readonly<Record<string, string | null>>

/** Where the drawing is zoomed in to, part by part. */
function Trail({ trail, keep }: Pick<Data, 'trail'> & { readonly keep: Query }) {
  if (trail.length < 2) return null
  return (
    <nav aria-label="Zoom" className="trail">
      {trail.map((part, i) => (
        <span key={part.ref}>
          {i === trail.length - 1 ? (
            <b className="mono">{part.name}</b>
          ) : (
            <To path="/fleet" query={{ ...keep, zoom: part.ref === 'fleet' ? null : part.ref }}>
              {part.name}
            </To>
          )}
        </span>
      ))}
    </nav>
  )
}

/** What the drawing shows of an arc: how large it is, and how it is filled. */
function Pickers({ data, keep }: { readonly data: Data; readonly keep: Query }) {
  const { trail, measure, reading, asTable, label: chosen, labels } = data
  const navigate = useNavigate()
  const address = useAddress()
  // Beside a long trail there is no room for what the groups are called; they keep their names.
  const label = trail.length > 1 ? 'visually-hidden' : 'soft'
  return (
    <>
      <Trail trail={trail} keep={keep} />
      {labels.length === 0 ? null : (
        <Choice
          label="Clusters labelled"
          hideLabel
          empty="every cluster"
          value={chosen}
          options={labels}
          onChange={(next) =>
            void navigate(address('/fleet', { ...keep, label: next === '' ? null : next }))
          }
          width={170}
        />
      )}
      <span className={label}>size of an arc</span>
      <span className="picker" role="group" aria-label="Size of an arc">
        {measures.map((name) => (
          <To
            key={name}
            path="/fleet"
            query={{ ...keep, size: name }}
            aria-current={name === measure}
          >
            {name === 'cpu' ? 'CPU' : name}
          </To>
        ))}
      </span>
      <span className={label}>fill</span>
      <span className="picker" role="group" aria-label="Fill">
        {readings.map((name) => (
          <To
            key={name}
            path="/fleet"
            query={{ ...keep, fill: name }}
            aria-current={name === reading}
          >
            {name}
          </To>
        ))}
      </span>
      <To
        path="/fleet"
        query={{ ...keep, as: asTable ? null : 'table' }}
        className="quiet-button"
        style={{ textDecoration: 'none' }}
      >
        {asTable ? 'drawing' : 'table'} <kbd aria-hidden>t</kbd>
      </To>
    </>
  )
}

/** The part to zoom in to from an arc: of a node nothing is inside, and the whole is no zoom. */
function zoomOf(ref: string, now: string | null): string | null {
  if (ref.startsWith('node/')) return now
  return ref === 'fleet' ? null : ref
}

function Drawing({
  data,
  layout,
  selected,
  go,
}: {
  readonly data: Data
  readonly layout: NonNullable<Data['layout']>
  readonly selected: string | null
  readonly go: (changes: Query) => void
}) {
  const [search] = useSearchParams()
  const { measure, reading, empty } = data
  const { total, unit } = totalText(measure, layout.centre.value)
  const { asked } = layout.centre
  const askedText = asked === null ? '' : ` · ${Math.round(asked * 100)} % asked`
  const legend = readingLegend[reading]
  return (
    <div className="fleet-drawing">
      {empty ? (
        <div className="empty">No site is known yet. Begin with Ground.</div>
      ) : (
        <Gyre
          layout={layout}
          reading={reading}
          selected={selected}
          onSelect={(ref) => go({ on: ref })}
          onZoom={(ref) =>
            go({ zoom: zoomOf(ref, search.get('zoom')), on: ref === 'fleet' ? null : ref })
          }
          total={total}
          line={`${unit}${askedText}`}
        />
      )}
      {legend === undefined ? null : (
        <p className="soft legend">
          <span className="ramp" aria-hidden /> {legend}
        </p>
      )}
    </div>
  )
}

export default function Fleet({ loaderData }: Route.ComponentProps) {
  const { layout, asTable, groups, more, reason, now, totals } = loaderData
  const rows = usePacked(loaderData.rows)
  const navigate = useNavigate()
  const address = useAddress()
  const [search] = useSearchParams()
  const keep = useMemo(() => Object.fromEntries(search), [search])
  const go = (changes: Query): void =>
    void navigate(address('/fleet', { ...keep, ...changes }), { preventScrollReset: true })
  useKey('t', () => go({ as: asTable ? null : 'table' }))
  const selected = search.get('on')
  return (
    <Page
      title="Fleet"
      beside={<Pickers data={loaderData} keep={keep} />}
      reason={
        reason ? (
          <Reason reason={reason} now={now} />
        ) : (
          <>
            <h2>{countText(totals.nodes, 'node')}</h2>
            <p className="soft">
              Choose an arc, or something that wants you, to see its state, why it is so and what
              can be done. Choose it again to zoom in; the centre leads back.
            </p>
          </>
        )
      }
    >
      <div className={asTable ? 'fleet-table' : 'fleet'}>
        {layout ? (
          <Drawing data={loaderData} layout={layout} selected={selected} go={go} />
        ) : (
          <Table
            name="fleet"
            columns={columnsFor(loaderData.labels)}
            rows={rows}
            id={(row) => row.ref}
            selected={selected}
            onSelect={(row) => go({ on: row.ref })}
            empty="No site is known yet."
          />
        )}
        {asTable ? null : <Wants groups={groups} more={more} at={selected} />}
      </div>
    </Page>
  )
}
