/** How long what runs is supported: releases along a calendar, and where each cluster stands on a day. */
import { useNavigate, useSearchParams } from 'react-router'
import { noticeDays, noticesOf } from '~/core/notices'
import { type ClusterSupport, endingDays, minorLines, supportOn } from '~/core/releases'
import { countText, isoTime, listText } from '~/core/units'
import { isCovered, windowsOf } from '~/core/windows'
import { gyrarchContext } from '../../context'
import { SupportChart } from '../../drawings/support-chart'
import { Page } from '../../frame/page'
import { Day } from '../../kit/day'
import { type Column, Table } from '../../kit/table/table'
import { StateGlyph, StateText } from '../../parts/state'
import { To, useAddress } from '../../parts/to'
import { fleetAsked } from '../moment'
import { RenewTabs } from './tabs'
import type { Route } from './+types/support'
import './renew.css'

export const meta: Route.MetaFunction = () => [{ title: 'Support · Gyrarch' }]

const isDay = (text: string): boolean =>
  /^\d{4}-\d{2}-\d{2}$/.test(text) && !Number.isNaN(Date.parse(text))

export async function loader({ request, context }: Route.LoaderArgs) {
  const fleet = await fleetAsked(context.get(gyrarchContext), request)
  const view = await fleet.view()
  const today = view.now.slice(0, 10)
  const asked = new URL(request.url).searchParams.get('on') ?? ''
  const day = isDay(asked) ? asked : today
  const clusters = supportOn(view.clusters, view.catalogue, day)
  const windows = windowsOf(view)
  const runs = new Set(clusters.map(({ minor }) => minor))
  const yearAgo = isoTime(Date.parse(today) - 365 * 86_400_000).slice(0, 10)
  return {
    today,
    day,
    // Support is told by the chart itself.
    notices: noticesOf(view).filter(({ kind }) => kind !== 'support'),
    lines: minorLines(view.catalogue)
      .filter(({ minor, until }) => runs.has(minor) || until >= yearAgo)
      .map(({ minor, from, until }) => ({
        minor,
        from,
        until,
        runs: clusters.filter((cluster) => cluster.minor === minor).map(({ cluster }) => cluster),
      })),
    clusters: clusters.map((cluster) => {
      const own = view.clusters.find(({ name }) => name === cluster.cluster)
      return {
        ...cluster,
        window: own ? (windows.find((window) => isCovered(window, own))?.name ?? null) : null,
      }
    }),
  }
}

type Row = ClusterSupport & { readonly window: string | null }

const glyph = {
  supported: 'well',
  ending: 'strained',
  lapsed: 'broken',
  unknown: 'unknown',
} as const

function leftText({ daysLeft, state }: Pick<Row, 'daysLeft' | 'state'>): string {
  if (daysLeft === null) return 'not in the catalogue'
  if (state === 'lapsed') return `over for ${countText(-daysLeft, 'day')}`
  return daysLeft === 0 ? 'last day' : `${countText(daysLeft, 'day')} left`
}

const columns: readonly Column<Row>[] = [
  { name: 'cluster', value: (row) => row.cluster, show: (row) => <b>{row.cluster}</b> },
  { name: 'site', value: (row) => row.site },
  {
    name: 'control plane',
    value: (row) => row.release,
    show: (row) => <span className="mono">{row.release}</span>,
  },
  {
    name: 'support',
    value: (row) => row.daysLeft ?? Infinity,
    show: (row) => <StateText state={glyph[row.state]}>{leftText(row)}</StateText>,
  },
  {
    name: 'moved by then',
    value: (row) => row.movedTo ?? '',
    show: (row) =>
      row.movedTo === null ? (
        <span className="soft">no</span>
      ) : (
        <span className="mono">{row.movedTo}</span>
      ),
  },
  { name: 'until', value: (row) => row.until ?? '', show: (row) => row.until ?? 'not known' },
  {
    name: 'pools behind',
    value: (row) => row.pools.length,
    show: (row) =>
      listText(
        row.pools.map(({ name, release }) => `${name} ${release}`),
        2,
      ) || <span className="soft">none</span>,
  },
  {
    name: 'window',
    value: (row) => row.window ?? '',
    show: (row) => row.window ?? <StateText state="strained">none</StateText>,
  },
]

/** Clusters with what is left of their support, and what happens by itself once it is over. */
function Rows({ rows }: { readonly rows: readonly Row[] }) {
  return (
    <ul className="plain">
      {rows.map((row) => (
        <li key={row.cluster}>
          <To path="/renew/upgrades" query={{ cluster: row.cluster }}>
            {row.cluster}
          </To>
          , {row.release}: {leftText(row)}
          {row.movedTo === null ? null : (
            <>
              ; {row.site} will have moved it to <span className="mono">{row.movedTo}</span> without
              asking
            </>
          )}
          {row.tooOld.length === 0
            ? null
            : `; then ${listText(row.tooOld, 4)} ${row.tooOld.length === 1 ? 'is' : 'are'} too old for it`}
        </li>
      ))}
    </ul>
  )
}

function Reason({ clusters, day, today, notices }: Route.ComponentProps['loaderData']) {
  const lapsed = clusters.filter(({ state }) => state === 'lapsed')
  const ending = clusters.filter(({ state }) => state === 'ending')
  const windowless = clusters.filter(({ window }) => window === null)
  const when = day === today ? 'today' : `on ${day}`
  return (
    <>
      <h2>
        <StateGlyph state={lapsed.length === 0 ? 'well' : 'broken'} />{' '}
        {lapsed.length === 0
          ? `All are supported ${when}`
          : `${countText(lapsed.length, 'cluster is', 'clusters are')} out of support ${when}`}
      </h2>
      <Rows rows={lapsed} />
      {ending.length > 0 ? (
        <>
          <h2>
            <StateGlyph state="strained" />{' '}
            {countText(ending.length, 'cluster ends', 'clusters end')} within {endingDays} days
          </h2>
          <Rows rows={ending} />
        </>
      ) : null}
      {windowless.length > 0 ? (
        <>
          <h2>
            <StateGlyph state="strained" />{' '}
            {countText(windowless.length, 'cluster has', 'clusters have')} no maintenance window
          </h2>
          <p>
            {listText(
              windowless.map(({ cluster }) => cluster),
              8,
            )}
            : <To path="/shape/windows">give them one</To>, so that an upgrade has its time.
          </p>
        </>
      ) : null}
      {notices.length > 0 ? (
        <>
          <h2>
            <StateGlyph state="strained" />{' '}
            {countText(notices.length, 'other thing ends', 'other things end')} within {noticeDays}{' '}
            days
          </h2>
          <ul className="plain">
            {notices.map(({ id, says, path }) => (
              <li key={id}>
                <To path={path}>{says}</To>
              </li>
            ))}
          </ul>
        </>
      ) : null}
      <p>
        All of it as a <a href="/api/v1/notices.atom">feed</a> and a{' '}
        <a href="/api/v1/notices.ics">calendar</a>.
      </p>
      <p className="soft">
        Draw the line in the calendar to another day, or use the arrow keys on it: what has lapsed
        by then is red.
      </p>
    </>
  )
}

export default function SupportPage({ loaderData }: Route.ComponentProps) {
  const { lines, clusters, day, today } = loaderData
  const [search] = useSearchParams()
  const navigate = useNavigate()
  const address = useAddress()
  const ask = (on: string): void =>
    void navigate(
      address('/renew', { ...Object.fromEntries(search), on: on === today ? null : on }),
      { preventScrollReset: true, replace: true },
    )
  return (
    <Page
      title="Support"
      beside={
        <span className="soft">
          {clusters.filter(({ state }) => state === 'supported' || state === 'ending').length} of{' '}
          {countText(clusters.length, 'cluster')} supported {day === today ? 'today' : `on ${day}`}
        </span>
      }
      reason={<Reason {...loaderData} />}
    >
      <RenewTabs here="/renew" />
      <div className="renew-page">
        <div className="ask-form">
          <Day label="On the day" value={day} onChange={ask} />
          <a href="/api/v1/support.ics">Ends of support as iCalendar</a>
        </div>
        <SupportChart lines={lines} today={today} day={day} onDay={ask} />
        <Table
          name="support"
          columns={columns}
          rows={clusters}
          id={(row) => row.cluster}
          selected={null}
          onSelect={(row) => void navigate(address('/renew/upgrades', { cluster: row.cluster }))}
          empty="There is no cluster yet."
        />
      </div>
    </Page>
  )
}
