/** The day ahead of an autoscaled workload. */
import Button from '@mui/material/Button'
import { countText, durationText, moneyText, numberText } from '~/core/units'
import { saveFile } from '../../kit/save-file'
import './shape.css'
import type { Route } from './+types/scaling'
import { useEffect, useMemo, useRef, useState } from 'react'
import type { DayQuestion, DayAnswer } from '../../../workers/day.worker'
import type { DayAhead } from '../../../core/scaling'
import { Drop } from '../../kit/drop'
import { Level } from '../../kit/level'
import { NumberField } from '../../kit/number-field'
import { Switch } from '../../kit/tick'
import { TimeChart } from '../../kit/chart/chart'

export interface Scaler {
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

export const hours = Array.from({ length: 24 }, (_, i) => i)
/** A load curve of one point an hour, from a measured one of a point a minute. */
export const hourly24 = (measured: readonly number[] | null): readonly number[] =>
  hours.map((hour) => Math.round(measured?.[hour * 60] ?? 100))
/** The first 24 numbers of a CSV file, one a line; null where there are fewer. */
async function loadsOf(text: string): Promise<readonly number[] | null> {
  const { default: Papa } = await import('papaparse')
  const loads = Papa.parse<string[]>(text.trim())
    .data.map((row) => Number(row.at(-1)))
    .filter((value) => Number.isFinite(value) && value >= 0)
  return loads.length >= 24 ? loads.slice(0, 24) : null
}

async function saveLoads(loads: readonly number[]): Promise<void> {
  const { writeCsv } = await import('~/core/units/csv')
  const lines = loads.map((load, hour) => [hour, load])
  saveFile('load.csv', 'text/csv', writeCsv(['hour', 'requests a second'], lines))
}

export function useDay(question: Omit<DayQuestion, 'id'> | null): {
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

export function Day({
  data,
}: {
  readonly data: Route.ComponentProps['loaderData'] & { readonly chosen: Scaler }
}) {
  const { chosen, objects, hourly, measured, from } = data
  const [grows, setGrows] = useState(data.autoscale?.enabled === true)
  const order = data.autoscale?.order ?? 'tightest'
  const [own, setOwn] = useState<readonly number[] | null>(null)
  const [unread, setUnread] = useState<string | null>(null)
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
              objects: then.objects,
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
  const times = useMemo(() => points.map((point) => begun + point.seconds * 1000), [points, begun])
  return (
    <div className="manifest-page" aria-busy={working}>
      <div className="day-figures" role="status">
        {day ? (
          <>
            <b>
              {day.fewestReplicas}–{day.mostReplicas}
            </b>{' '}
            replicas, {countText(day.changes, 'change')} ·{' '}
            <b>{durationText(day.pendingPodSeconds)}</b> of pods without a node ·{' '}
            <b>{numberText(day.replicaSeconds / 3600, 1)}</b> replica hours ·{' '}
            <b>{moneyText(day.spend)}</b> units for the nodes
          </>
        ) : (
          (says ?? 'replaying the day…')
        )}
      </div>
      {day ? (
        <TimeChart
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
      <div className="board-ask" role="group" aria-label="What if">
        <b>What if</b>
        {(
          [
            ['min', 'At least', min, setMin],
            ['max', 'At most', max, setMax],
            ['target', 'Requests a replica', target, setTarget],
          ] as const
        ).map(([name, says, value, set]) => (
          <NumberField
            key={name}
            label={says}
            min={1}
            max={name === 'target' ? 1_000_000 : 1000}
            value={value}
            onChange={(next) => set(next ?? 1)}
            width={name === 'target' ? 140 : 90}
          />
        ))}
        {data.pools.length > 0 ? (
          <Switch label="Pools scale too" checked={grows} onChange={setGrows} />
        ) : null}
        <Button variant="outlined" disabled={own === null} onClick={() => setOwn(null)}>
          Load as measured
        </Button>
        <Button variant="outlined" onClick={() => void saveLoads(shown)}>
          CSV
        </Button>
      </div>
      <Drop
        what="load curve of 24 lines"
        accept={{ 'text/csv': ['.csv'] }}
        maxBytes={1024 * 1024}
        refused={unread}
        onText={(text) =>
          void loadsOf(text).then((loads) => {
            if (loads) setOwn(loads)
            setUnread(loads ? null : 'It has fewer than 24 lines that end in a number.')
          })
        }
      />
      <fieldset className="day-draw">
        <legend className="soft">Load by hour of the day ahead, drawn by hand</legend>
        {shown.map((load, hour) => (
          <div key={hour} className="day-hour">
            <Level
              label={`Load at ${zoneHour(hour * 3600)}`}
              value={load}
              max={Math.round(top)}
              step={10}
              unit="requests a second"
              onChange={(level) =>
                setOwn(shown.map((otherValue, i) => (i === hour ? level : otherValue)))
              }
            />
            <span className="mono">{zoneHour(hour * 3600).slice(0, 2)}</span>
          </div>
        ))}
      </fieldset>
    </div>
  )
}
