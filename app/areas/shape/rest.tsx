/** When clusters rest: a calendar drawn as a week, what it saves, and stopping or starting by hand. */
import Button from '@mui/material/Button'
import { X } from 'lucide-react'
import { useMemo, useState } from 'react'
import { clusterOf, siteOf } from '~/core/fleet'
import { keptUntil } from '~/core/keeping'
import {
  instantOf,
  minutesOf,
  restIntervals,
  restSavings,
  type RestWindow,
  timeZones,
  weekdays,
} from '~/core/scaling'
import { clusterHourly } from '~/core/spend'
import { moneyText, numberText } from '~/core/units'
import { gyrarchContext } from '../../context'
import { WeekStrip } from '../../drawings/week-strip'
import { Page } from '../../frame/page'
import { Attention } from '../../parts/attention'
import { DraftChange } from '../../parts/draft-change'
import { StateText } from '../../parts/state'
import { type Column, Table } from '../../kit/table/table'
import { To } from '../../parts/to'
import { clockText } from '../../parts/when'
import { aimedCluster, ShapeTabs } from './tabs'
import './shape.css'
import { fleetAsked } from '../moment'
import type { Route } from './+types/rest'
import { localNow, usualZone, weekOf } from './calendar'
import { restWants, restWell } from './wants'
import { Choice } from '../../kit/choice'
import { TimeOfDay } from '../../kit/time-of-day'
import { Toggles } from '../../kit/toggles'
import { IconButton } from '../../kit/icon-button'
import { Empty } from '../../kit/empty'

export const meta: Route.MetaFunction = () => [{ title: 'Rest · Gyrarch' }]

/** The calendar month that holds an instant, in a zone. */
function monthOf(
  zone: string,
  at: number,
): { readonly from: number; readonly to: number; readonly says: string } {
  const parts = new Intl.DateTimeFormat('en', {
    timeZone: zone,
    year: 'numeric',
    month: 'numeric',
  }).formatToParts(at)
  const year = Number(parts.find((part) => part.type === 'year')?.value)
  const month = Number(parts.find((part) => part.type === 'month')?.value)
  const says = new Intl.DateTimeFormat('en', {
    timeZone: zone,
    year: 'numeric',
    month: 'long',
  }).format(at)
  return {
    from: instantOf(zone, { year, month, day: 1 }, 0),
    to:
      month === 12
        ? instantOf(zone, { year: year + 1, month: 1, day: 1 }, 0)
        : instantOf(zone, { year, month: month + 1, day: 1 }, 0),
    says,
  }
}

const restsAt = (zone: string, windows: readonly RestWindow[], at: number): boolean =>
  restIntervals(zone, windows, { from: at, to: at + 1 }).length > 0

export async function loader({ request, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const fleet = await fleetAsked(gyrarch, request)
  const view = await fleet.view()
  const now = Date.parse(view.now)
  const rows = view.clusters.map((cluster) => {
    const site = siteOf(view, cluster.site)
    const hourly = site ? clusterHourly(site, cluster) : 0
    const zone = cluster.rest?.zone ?? usualZone
    const month = monthOf(zone, now)
    const windows = cluster.rest?.windows ?? []
    return {
      name: cluster.name,
      site: cluster.site,
      resting: cluster.resting,
      since: cluster.restingSince,
      hourly,
      month: month.says,
      windows,
      isMeantToRest: windows.length === 0 ? null : restsAt(zone, windows, now),
      ...restSavings(zone, windows, month, hourly),
    }
  })
  const aim = aimedCluster(request)
  const chosen = aim === null ? undefined : clusterOf(view, aim)
  const row = rows.find((entry) => entry.name === chosen?.name)
  return {
    now: view.now,
    rows,
    chosen:
      chosen && row
        ? {
            name: chosen.name,
            zone: chosen.rest?.zone ?? usualZone,
            windows: chosen.rest?.windows ?? [],
            resting: chosen.resting,
            since: chosen.restingSince,
            hourly: row.hourly,
            drives: chosen.drives,
          }
        : null,
  }
}

type Row = Route.ComponentProps['loaderData']['rows'][number]

const columns: readonly Column<Row>[] = [
  {
    name: 'cluster',
    value: (row) => row.name,
    show: (row) => (
      <To path="/shape/rest" query={{ aim: `cluster/${row.name}` }} className="mono">
        {row.name}
      </To>
    ),
  },
  {
    name: 'now',
    value: (row) => (row.resting ? 'rests' : 'runs'),
    show: (row) => (
      <StateText state={row.resting ? 'resting' : 'well'}>
        {row.resting ? 'rests' : 'runs'}
      </StateText>
    ),
  },
  {
    name: 'units an hour',
    value: (row) => row.hourly,
    show: (row) => moneyText(row.hourly),
    number: true,
  },
  {
    name: 'windows',
    value: (row) => row.windows.length,
    show: (row) => (row.windows.length === 0 ? 'none' : String(row.windows.length)),
    number: true,
  },
  {
    name: 'hours of the month',
    value: (row) => row.hours,
    show: (row) => `${numberText(row.hoursRunning, 1)} of ${numberText(row.hours, 1)}`,
    number: true,
  },
  {
    name: 'saved in the month',
    value: (row) => row.saved,
    show: (row) => moneyText(row.saved),
    number: true,
  },
]

type Data = Route.ComponentProps['loaderData']
type Chosen = NonNullable<Data['chosen']>

const isReadable = ({ stop, start }: RestWindow): boolean =>
  minutesOf(stop) !== null && minutesOf(start) !== null

/** What is worth saying of a window: that it is none, or that it goes over midnight. */
function windowText(window: RestWindow): string {
  const { stop, start } = window
  if (!isReadable(window)) return 'times are from 00:00 to 23:59'
  if (stop === start) return 'stops when it starts: give two times'
  return start <= stop ? 'over midnight' : ''
}

function WindowFields({
  window,
  number,
  onChange,
  onRemove,
}: {
  readonly window: RestWindow
  readonly number: number
  readonly onChange: (window: RestWindow) => void
  readonly onRemove: () => void
}) {
  const set = (change: Partial<RestWindow>): void => onChange({ ...window, ...change })
  return (
    <fieldset>
      <legend className="visually-hidden">Window {number}</legend>
      <Toggles
        label={`Days of window ${number}`}
        options={weekdays}
        chosen={window.days}
        onChange={(days) => set({ days: [...days] })}
      />
      <TimeOfDay label="Stops" value={window.stop} onChange={(stop) => set({ stop })} />
      <TimeOfDay label="Starts" value={window.start} onChange={(start) => set({ start })} />
      <span className="soft">{windowText(window)}</span>
      <IconButton says={`Remove window ${number}`} onClick={onRemove}>
        <X size={14} aria-hidden />
      </IconButton>
    </fieldset>
  )
}

const usualWindow: RestWindow = {
  days: ['mon', 'tue', 'wed', 'thu', 'fri'],
  stop: '20:00',
  start: '06:00',
}

function Calendar({ chosen, now }: { readonly chosen: Chosen; readonly now: string }) {
  const [zone, setZone] = useState(chosen.zone)
  const [windows, setWindows] = useState<readonly RestWindow[]>(chosen.windows)
  const good = useMemo(
    () => windows.filter((window) => isReadable(window) && window.stop !== window.start),
    [windows],
  )
  const month = useMemo(() => monthOf(zone, Date.parse(now)), [zone, now])
  const savings = useMemo(
    () => restSavings(zone, good, month, chosen.hourly),
    [zone, good, month, chosen.hourly],
  )
  const changed = JSON.stringify(windows) !== JSON.stringify(chosen.windows) || zone !== chosen.zone
  const zones = useMemo(timeZones, [])
  return (
    <div className="rest-page">
      <WeekStrip rests={weekOf(good)} now={localNow(zone, now)} />
      <p className="rest-saves" role="status">
        {month.says}: runs <b>{numberText(savings.hoursRunning, 2)}</b> of{' '}
        {numberText(savings.hours, 2)} h and costs <b>{moneyText(savings.spendWith)}</b> units in
        place of {moneyText(savings.spendWithout)}: <b>{moneyText(savings.saved)}</b> saved.
      </p>
      <div className="rest-windows">
        <Choice
          label="Time zone"
          value={zone}
          options={zones}
          onChange={setZone}
          width={240}
          unfolds
        />
        {windows.map((window, i) => (
          <WindowFields
            key={i}
            window={window}
            number={i + 1}
            onChange={(next) => setWindows(windows.with(i, next))}
            onRemove={() => setWindows(windows.toSpliced(i, 1))}
          />
        ))}
        <div className="acts">
          <Button variant="outlined" onClick={() => setWindows([...windows, usualWindow])}>
            Add a window
          </Button>
          <DraftChange
            kind="cluster.rest"
            intent={{ cluster: chosen.name, zone, windows }}
            variant="contained"
            disabled={!changed || good.length !== windows.length}
          >
            Draft this calendar
          </DraftChange>
        </div>
      </div>
    </div>
  )
}

/** What resting ends and what it leaves, and the ways to stop and start by hand. */
function RestReason({ chosen, now }: { readonly chosen: Chosen; readonly now: string }) {
  const { name, resting, drives } = chosen
  return (
    <>
      <h2 className="mono">{name}</h2>
      <dl className="facts">
        <div>
          <dt>while it runs</dt>
          <dd>{moneyText(chosen.hourly)} units an hour</dd>
        </div>
        <div>
          <dt>what ends while it rests</dt>
          <dd>machines, control-plane tier</dd>
        </div>
        <div>
          <dt>what goes on</dt>
          <dd>disks, load balancers, held addresses</dd>
        </div>
        {resting ? (
          <div>
            <dt>kept until</dt>
            <dd>{keptUntil(chosen.since ?? now)}</dd>
          </div>
        ) : null}
      </dl>
      {drives.length > 0 ? <p>It drives {drives.join(' and ')}, so it cannot rest.</p> : null}
      <div className="acts">
        {resting ? (
          <DraftChange kind="cluster.start" intent={{ cluster: name }} variant="contained">
            Draft starting it
          </DraftChange>
        ) : (
          <DraftChange kind="cluster.stop" intent={{ cluster: name }}>
            Draft stopping it now
          </DraftChange>
        )}
      </div>
      <p className="soft">
        A window belongs to the days on which it stops. A night in which the clocks change is as
        long as it really is. What you stop or start by hand stands until the calendar’s next
        boundary.
      </p>
    </>
  )
}

export default function RestPage({ loaderData }: Route.ComponentProps) {
  const { chosen, rows, now } = loaderData
  return (
    <Page
      title={chosen ? `Rest of ${chosen.name}` : 'Rest'}
      beside={
        chosen ? (
          <StateText state={chosen.resting ? 'resting' : 'well'}>
            {chosen.resting ? `rests since ${clockText(chosen.since ?? now)}` : 'runs'}
          </StateText>
        ) : (
          <Attention wants={restWants(rows)} well={restWell(rows)} />
        )
      }
      reason={
        chosen ? (
          <RestReason chosen={chosen} now={now} />
        ) : (
          <p className="soft">
            Choose a cluster to draw its week. Savings are exact to the hour, also in months in
            which the clocks change.
          </p>
        )
      }
    >
      <ShapeTabs here="/shape/rest" />
      {chosen ? (
        <Calendar
          key={`${chosen.name}${JSON.stringify(chosen.windows)}`}
          chosen={chosen}
          now={now}
        />
      ) : (
        <Table
          name="clusters"
          columns={columns}
          rows={rows}
          id={(row) => row.name}
          empty={
            <Empty title="No cluster yet" first={<To path="/raise">Raise one</To>}>
              A cluster that nobody uses at night or at weekends can rest by a calendar; what that
              saves in a month is told to the hour.
            </Empty>
          }
        />
      )}
    </Page>
  )
}
