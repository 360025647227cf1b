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
import type { Scaler } from './scaler'

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

type Data = Route.ComponentProps['loaderData']

/** What of the day is asked otherwise than it is: bounds, target, load, whether pools scale. */
function useAsked({ chosen, measured, autoscale }: Data & { readonly chosen: Scaler }) {
  const [grows, setGrows] = useState(autoscale?.enabled === true)
  /** A load of one point an hour, drawn or read; null for the measured one. */
  const [own, setOwn] = useState<readonly number[] | null>(null)
  const [min, setMin] = useState(chosen.min)
  const [max, setMax] = useState(chosen.max)
  const [target, setTarget] = useState(chosen.target)
  const curve = useMemo(
    () =>
      own
        ? own.map((load, hour) => ({ seconds: hour * 3600, load }))
        : (measured ?? []).map((load, minute) => ({ seconds: minute * 60, load })),
    [own, measured],
  )
  return { grows, setGrows, own, setOwn, min, setMin, max, setMax, target, setTarget, curve }
}

type Asked = ReturnType<typeof useAsked>

/** Why what is asked makes no day; null where it makes one. */
function whyNone({ follows }: Scaler, { min, max, target, curve }: Asked): string | null {
  if (min > max) return 'It may have fewer at most than at least.'
  if (target <= 0)
    return `It follows ${follows}. A day is replayed over what each replica takes: give the requests a replica.`
  return curve.length === 0
    ? 'Nobody has measured its load. Draw it by hour below, or drop it as a file.'
    : null
}

/** The question for the worker; null while what is asked makes no day. */
function useQuestion(
  data: Data & { readonly chosen: Scaler },
  { min, max, target, curve, grows }: Asked,
): Omit<DayQuestion, 'id'> | null {
  const { chosen, hourly, autoscale } = data
  const { workload } = chosen
  const order = autoscale?.order ?? 'tightest'
  // The day begins when the page was opened; what happens meanwhile does not move it.
  const [then] = useState(data)
  return useMemo(() => {
    if (min > max || target <= 0 || curve.length === 0) return null
    const { objects, from, pools, startSeconds } = then
    const nodes = grows ? { pools, order, startSeconds } : null
    return { plan: { objects, workload, min, max, target, curve, from, hourly, nodes } }
  }, [workload, min, max, target, curve, hourly, then, grows, order])
}

const curveOf = (
  name: string,
  values: readonly number[],
  axis: 'left' | 'right',
  token: string,
) => ({
  name,
  values,
  axis,
  token,
  ...(axis === 'left' ? { isDashed: true } : { isStepped: true }),
})

/** What the day has to show: figures in one line, and the curves over time. */
function Shown({
  day,
  says,
  begun,
}: {
  readonly day: DayAhead | null
  readonly says: string | null
  readonly begun: number
}) {
  const points = useMemo(() => day?.points ?? [], [day])
  const curves = useMemo(() => {
    const of = (read: (point: DayAhead['points'][number]) => number): readonly number[] =>
      points.map(read)
    return [
      curveOf(
        'load (requests/s)',
        of(({ load }) => load),
        'left',
        '--ink-soft',
      ),
      curveOf(
        'replicas',
        of(({ replicas }) => replicas),
        'right',
        '--petrol',
      ),
      curveOf(
        'ready',
        of(({ ready }) => ready),
        'right',
        '--well',
      ),
      curveOf(
        'without a node',
        of(({ pending }) => pending),
        'right',
        '--broken',
      ),
      curveOf(
        'nodes',
        of(({ nodes }) => nodes),
        'right',
        '--brass',
      ),
    ]
  }, [points])
  const times = useMemo(() => points.map((point) => begun + point.seconds * 1000), [points, begun])
  if (!day)
    return (
      <>
        <div className="day-figures" role="status">
          {says ?? 'replaying the day…'}
        </div>
        <div style={{ height: 300 }} />
      </>
    )
  return (
    <>
      <div className="day-figures" role="status">
        <b>
          {day.fewestReplicas}–{day.mostReplicas}
        </b>{' '}
        replicas, {countText(day.changes, 'change')} · <b>{durationText(day.pendingPodSeconds)}</b>{' '}
        of pods without a node · <b>{numberText(day.replicaSeconds / 3600, 1)}</b> replica hours ·{' '}
        <b>{moneyText(day.spend)}</b> units for the nodes
      </div>
      <TimeChart
        label="Load, replicas and nodes over the day ahead"
        times={times}
        curves={curves}
        left="requests a second"
        right="replicas, nodes"
        height={300}
      />
    </>
  )
}

/** Bounds and target to try, and the load as a file. */
function WhatIf({
  asked,
  shown,
  hasPools,
}: {
  readonly asked: Asked
  readonly shown: readonly number[]
  readonly hasPools: boolean
}) {
  const fields = [
    ['At least', asked.min, asked.setMin, 1000, 90],
    ['At most', asked.max, asked.setMax, 1000, 90],
    ['Requests a replica', asked.target, asked.setTarget, 1_000_000, 140],
  ] as const
  return (
    <div className="board-ask" role="group" aria-label="What if">
      <b>What if</b>
      {fields.map(([says, value, set, max, width]) => (
        <NumberField
          key={says}
          label={says}
          min={1}
          max={max}
          value={value}
          onChange={(next) => set(next ?? 1)}
          width={width}
        />
      ))}
      {hasPools ? (
        <Switch label="Pools scale too" checked={asked.grows} onChange={asked.setGrows} />
      ) : null}
      <Button variant="outlined" disabled={asked.own === null} onClick={() => asked.setOwn(null)}>
        Load as measured
      </Button>
      <Button variant="outlined" onClick={() => void saveLoads(shown)}>
        CSV
      </Button>
    </div>
  )
}

/** A load of another day, from a file or drawn hour by hour. */
function Load({
  shown,
  begun,
  onLoads,
}: {
  readonly shown: readonly number[]
  readonly begun: number
  readonly onLoads: (loads: readonly number[]) => void
}) {
  const [unread, setUnread] = useState<string | null>(null)
  const top = Math.max(100, ...shown) * 1.25
  const timeOf = (hour: number): string =>
    new Date(begun + hour * 3_600_000).toISOString().slice(11, 16)
  return (
    <>
      <Drop
        what="load curve of 24 lines"
        accept={{ 'text/csv': ['.csv'] }}
        maxBytes={1024 * 1024}
        refused={unread}
        onText={(text) =>
          void loadsOf(text).then((loads) => {
            if (loads) onLoads(loads)
            setUnread(loads ? null : 'It has fewer than 24 lines that end in a number.')
          })
        }
      />
      <fieldset className="day-draw">
        <legend className="soft">Load by hour of the day ahead, drawn by hand</legend>
        {shown.map((load, hour) => (
          <div key={hour} className="day-hour">
            <Level
              label={`Load at ${timeOf(hour)}`}
              value={load}
              max={Math.round(top)}
              step={10}
              unit="requests a second"
              onChange={(level) => onLoads(shown.map((value, i) => (i === hour ? level : value)))}
            />
            <span className="mono">{timeOf(hour).slice(0, 2)}</span>
          </div>
        ))}
      </fieldset>
    </>
  )
}

export function Day({ data }: { readonly data: Data & { readonly chosen: Scaler } }) {
  const asked = useAsked(data)
  const question = useQuestion(data, asked)
  const { day, says, working } = useDay(question)
  const [begun] = useState(data.from)
  const shown = asked.own ?? hourly24(data.measured)
  const why = whyNone(data.chosen, asked)
  return (
    <div className="manifest-page" aria-busy={why === null && working}>
      <Shown day={why === null ? day : null} says={why ?? says} begun={begun} />
      <WhatIf asked={asked} shown={shown} hasPools={data.pools.length > 0} />
      <Load shown={shown} begun={begun} onLoads={asked.setOwn} />
    </div>
  )
}
