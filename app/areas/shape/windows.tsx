/** Maintenance windows: when something may be done to what, the coming weeks drawn, and the clusters that have none. */
import { useFetcher } from 'react-router'
import { labelTexts } from '~/core/fleet'
import { coveredBy, nextOccurrence, occurrencesOf, uncovered, windowsOf } from '~/core/windows'
import { durationText, isoTime, listText } from '~/core/units'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { Drop } from '../../kit/drop'
import { Empty } from '../../kit/empty'
import { Tip } from '../../kit/tip'
import { DraftChange } from '../../parts/draft-change'
import { To } from '../../parts/to'
import { Ago, clockText } from '../../parts/when'
import { fleetAsked } from '../moment'
import { orRefused } from '../refusals'
import { ShapeTabs } from './tabs'
import type { Route } from './+types/windows'
import './shape.css'

export const meta: Route.MetaFunction = () => [{ title: 'Maintenance windows · Gyrarch' }]

const dayMs = 86_400_000
const weeks = 4
const fileLimit = 4 * 1024 * 1024

export async function loader({ request, context }: Route.LoaderArgs) {
  const fleet = await fleetAsked(context.get(gyrarchContext), request)
  const view = await fleet.view()
  const now = Date.parse(view.now)
  const from = Math.floor(now / dayMs) * dayMs
  const until = from + weeks * 7 * dayMs
  const part = (at: number): number => (at - from) / (until - from)
  return {
    now: view.now,
    nowPart: part(now),
    days: Array.from({ length: weeks }, (_, week) => isoTime(from + week * 7 * dayMs)),
    windows: windowsOf(view).map((window) => {
      const next = nextOccurrence(window, now)
      return {
        ...window,
        covers: coveredBy(view, window),
        next: next && { start: isoTime(next.start), end: isoTime(next.end) },
        bars: occurrencesOf([window], from, until).map(({ start, end }) => ({
          from: Math.max(0, part(start)),
          to: Math.min(1, part(end)),
          says: `${clockText(isoTime(start), { seconds: false })} to ${clockText(isoTime(end), { seconds: false })} UTC`,
        })),
      }
    }),
    without: uncovered(view),
  }
}

/** Reads a calendar that was dropped. */
export async function action({ request, context }: Route.ActionArgs) {
  const { judges } = context.get(gyrarchContext)
  return orRefused(async () => ({
    ...(await judges.calendar(await request.text())),
    refused: null,
  }))
}

type Row = Route.ComponentProps['loaderData']['windows'][number]

const intentOf = ({ covers: _covers, next: _next, bars: _bars, ...window }: Row) => window

const proposed = (cluster: string, now: string) => ({
  name: `${cluster} nights`,
  start: `${now.slice(0, 10)}T22:00`,
  zone: 'Europe/Berlin',
  minutes: 240,
  rule: 'FREQ=WEEKLY;BYDAY=SA',
  except: [],
  clusters: [cluster],
  labels: {},
})

function Lane({
  row,
  now,
  nowPart,
}: {
  readonly row: Row
  readonly now: string
  readonly nowPart: number
}) {
  const labels = labelTexts(row.labels)
  return (
    <li className="window-lane">
      <div className="window-head">
        <b>{row.name}</b>
        <span className="soft">
          {row.bars.some((bar) => bar.from <= nowPart && nowPart < bar.to) ? (
            <b>open now · </b>
          ) : null}
          {row.next === null ? (
            'never again'
          ) : (
            <>
              next {clockText(row.next.start, { seconds: false })} UTC,{' '}
              <Ago at={row.next.start} now={now} />
            </>
          )}
        </span>
        <span className="spring" />
        <DraftChange kind="window.set" intent={intentOf(row)} variant="text">
          Change
        </DraftChange>
        <DraftChange kind="window.remove" intent={{ name: row.name }} variant="text">
          Remove
        </DraftChange>
      </div>
      <div
        className="window-strip"
        role="img"
        aria-label={`The next ${weeks} weeks of ${row.name}`}
      >
        {row.bars.map((bar) => (
          <Tip key={bar.says} says={bar.says}>
            <span
              className="window-bar"
              style={{
                left: `${100 * bar.from}%`,
                width: `max(4px, ${100 * (bar.to - bar.from)}%)`,
              }}
            />
          </Tip>
        ))}
        <span className="window-now" style={{ left: `${100 * nowPart}%` }} />
      </div>
      <p className="soft">
        {durationText(row.minutes * 60)} from {row.start.slice(11)} in {row.zone}
        {row.rule === null ? `, once on ${row.start.slice(0, 10)}` : ''}
        {row.rule === null ? '' : <span className="mono"> {row.rule}</span>}
        {row.except.length === 0 ? '' : `, not on ${listText(row.except, 4)}`} ·{' '}
        {row.covers.length === 0 ? 'covers nothing' : `covers ${listText(row.covers, 8)}`}
        {labels.length === 0 ? '' : ` (and what is labelled ${listText(labels)})`}
      </p>
    </li>
  )
}

function DropCalendar() {
  const fetcher = useFetcher<typeof action>()
  const read = fetcher.data && 'windows' in fetcher.data ? fetcher.data : null
  return (
    <div>
      <Drop
        what="calendar"
        accept={{ 'text/calendar': ['.ics'] }}
        maxBytes={fileLimit}
        onText={(text) => void fetcher.submit(text, { method: 'post', encType: 'text/plain' })}
      />
      {read ? (
        <ul className="facts">
          {read.windows.map((window) => (
            <li key={window.name}>
              <span>
                <b>{window.name}</b> {window.start.replace('T', ' ')} {window.zone}
              </span>
              <DraftChange kind="window.set" intent={window} variant="outlined">
                Draft it
              </DraftChange>
            </li>
          ))}
          {read.bad.map(({ event, says }) => (
            <li key={event}>
              <span>{event === 0 ? 'the file' : `event ${event}`}</span>
              <span className="source">{says}</span>
            </li>
          ))}
        </ul>
      ) : null}
    </div>
  )
}

export default function Windows({ loaderData }: Route.ComponentProps) {
  const { windows, without, now, nowPart, days } = loaderData
  return (
    <Page
      title="Maintenance windows"
      beside={<span className="soft">when something may be done</span>}
      reason={
        <>
          <h2>
            {without.length === 0
              ? 'Every cluster has a window'
              : `${without.length} without a window`}
          </h2>
          {without.length === 0 ? null : (
            <>
              <p className="soft">Upgrades of these have nowhere to be laid.</p>
              <ul className="facts">
                {without.map((cluster) => (
                  <li key={cluster}>
                    <To path={`/clusters/${cluster}`} className="mono">
                      {cluster}
                    </To>
                    <DraftChange kind="window.set" intent={proposed(cluster, now)}>
                      Draft one
                    </DraftChange>
                  </li>
                ))}
              </ul>
            </>
          )}
          <div>
            <h3>As a calendar</h3>
            <p>
              <a href="/api/v1/windows.ics">windows.ics</a>, for any calendar program.
            </p>
            <DropCalendar />
          </div>
          <p className="soft">
            Times are local: a window keeps its hour when the clocks change. Its length is exact.
          </p>
        </>
      }
    >
      <ShapeTabs here="/shape/windows" />
      {windows.length === 0 ? (
        <Empty title="No window is kept">Draft one for a cluster beside, or drop a calendar.</Empty>
      ) : (
        <>
          <div className="window-days soft" aria-hidden>
            {days.map((day) => (
              <span key={day}>{clockText(day).split(' ').slice(0, 3).join(' ')}</span>
            ))}
          </div>
          <ul className="window-lanes">
            {windows.map((row) => (
              <Lane key={row.name} row={row} now={now} nowPart={nowPart} />
            ))}
          </ul>
        </>
      )}
    </Page>
  )
}
