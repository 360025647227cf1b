/** Curves over time, in the tokens of the theme, with units on the axes. Drawn only in the browser. */
import {
  Chart,
  Filler,
  Legend,
  LinearScale,
  LineElement,
  PointElement,
  type ScaleOptions,
  Tooltip,
} from 'chart.js'
import { useMemo } from 'react'
import { Line } from 'react-chartjs-2'
import { timeTicks } from './time-ticks'
import { fontOf, type Tokens, useTokens } from './tokens'

Chart.register(LinearScale, LineElement, PointElement, Tooltip, Legend, Filler)

export interface Curve {
  readonly name: string
  readonly values: readonly number[]
  readonly axis: 'left' | 'right'
  /** The custom property that holds its colour. */
  readonly token: string
  readonly isStepped?: boolean
  readonly isDashed?: boolean
}

export interface TimeChartProps {
  readonly label: string
  /** Milliseconds since 1970, one for each value. */
  readonly times: readonly number[]
  readonly curves: readonly Curve[]
  /** Units of the axes; an empty one has no axis. */
  readonly left: string
  readonly right: string
  readonly height: number
  readonly zone?: string
}

const maxTicks = 9

function valueAxis(
  tokens: Tokens,
  position: 'left' | 'right',
  says: string,
): ScaleOptions<'linear'> {
  return {
    position,
    beginAtZero: true,
    title: { display: true, text: says, color: tokens('--ink-soft'), font: fontOf(tokens) },
    ticks: { color: tokens('--ink-soft'), precision: 0, font: fontOf(tokens), maxTicksLimit: 6 },
    grid: { color: tokens('--line'), drawOnChartArea: position === 'left' },
  }
}

function timeAxis(tokens: Tokens, times: readonly number[], zone: string): ScaleOptions<'linear'> {
  const from = times[0] ?? 0
  const until = times.at(-1) ?? from
  const ticks = timeTicks(from, until, maxTicks, zone)
  const says = new Map(ticks.map((tick) => [tick.at, tick.label]))
  return {
    type: 'linear',
    min: from,
    max: until,
    afterBuildTicks: (axis) => {
      axis.ticks = ticks.map((tick) => ({ value: tick.at }))
    },
    ticks: {
      color: tokens('--ink-soft'),
      font: fontOf(tokens),
      maxRotation: 0,
      minRotation: 0,
      autoSkip: false,
      callback: (value) => says.get(Number(value)) ?? '',
    },
    grid: { display: false },
  }
}

const momentText = (at: number, zone: string): string =>
  new Intl.DateTimeFormat('en-GB', {
    timeZone: zone,
    weekday: 'short',
    day: 'numeric',
    month: 'short',
    hour: '2-digit',
    minute: '2-digit',
  }).format(at)

export default function TimeChart(props: TimeChartProps) {
  const { label, times, curves, left, right, height, zone = 'UTC' } = props
  const tokens = useTokens()
  const data = useMemo(
    () => ({
      datasets: curves.map((curve) => ({
        label: curve.name,
        data: curve.values.map((y, i) => ({ x: times[i] ?? 0, y })),
        yAxisID: curve.axis,
        borderColor: tokens?.(curve.token) ?? '',
        backgroundColor: tokens?.(curve.token) ?? '',
        borderWidth: 1.8,
        pointRadius: 0,
        ...(curve.isStepped === true ? { stepped: true as const } : {}),
        ...(curve.isDashed === true ? { borderDash: [5, 4] } : {}),
      })),
    }),
    [curves, times, tokens],
  )
  if (!tokens) return <div style={{ height }} />
  return (
    <div style={{ height }}>
      <Line
        aria-label={label}
        role="img"
        data={data}
        options={{
          animation: false,
          parsing: false,
          maintainAspectRatio: false,
          interaction: { mode: 'index', intersect: false },
          plugins: {
            legend: {
              position: 'bottom',
              labels: { color: tokens('--ink-soft'), boxHeight: 2, font: fontOf(tokens) },
            },
            tooltip: {
              callbacks: {
                title: ([item]) => momentText(item?.parsed.x ?? 0, zone),
              },
            },
          },
          scales: {
            x: timeAxis(tokens, times, zone),
            left: valueAxis(tokens, 'left', left),
            ...(right === '' ? {} : { right: valueAxis(tokens, 'right', right) }),
          },
        }}
      />
    </div>
  )
}
