/** Lying bars, one a thing, each of several parts. Drawn only in the browser; its figures are read aloud. */
import {
  BarController,
  BarElement,
  CategoryScale,
  Chart,
  Legend,
  LinearScale,
  Tooltip,
} from 'chart.js'
import { useMemo } from 'react'
import { Bar as BarDrawing } from 'react-chartjs-2'
import { barChartHeight } from './height'
import { fontOf, useTokens } from './tokens'

Chart.register(BarController, BarElement, CategoryScale, LinearScale, Tooltip, Legend)

export interface Series {
  readonly name: string
  /** The custom property that holds its colour. */
  readonly token: string
}

export interface Bar {
  readonly name: string
  /** One for each series. */
  readonly values: readonly number[]
}

export interface BarChartProps {
  readonly label: string
  readonly series: readonly Series[]
  readonly bars: readonly Bar[]
  readonly unit: string
  /** The parts of a bar end to end; else beside each other. */
  readonly isStacked: boolean
  /** Writes a value with its unit. */
  readonly text: (value: number) => string
}

export default function BarChart(props: BarChartProps) {
  const { label, series, bars, unit, isStacked, text } = props
  const tokens = useTokens()
  const height = barChartHeight(props)
  const data = useMemo(
    () => ({
      labels: bars.map((bar) => bar.name),
      datasets: series.map(({ name, token }, i) => ({
        label: name,
        data: bars.map((bar) => bar.values[i] ?? 0),
        backgroundColor: tokens?.(token) ?? '',
        maxBarThickness: 18,
      })),
    }),
    [bars, series, tokens],
  )
  const said = bars
    .map(
      (bar) =>
        `${bar.name}: ${series.map(({ name }, i) => `${name} ${text(bar.values[i] ?? 0)}`).join(', ')}`,
    )
    .join('; ')
  if (!tokens) return <div style={{ height }} />
  return (
    <div style={{ height }}>
      <BarDrawing
        aria-label={`${label}. ${said}`}
        role="img"
        data={data}
        options={{
          animation: false,
          indexAxis: 'y',
          maintainAspectRatio: false,
          interaction: { mode: 'index', axis: 'y', intersect: false },
          plugins: {
            legend: {
              display: series.length > 1,
              position: 'bottom',
              labels: { color: tokens('--ink-soft'), boxWidth: 12, font: fontOf(tokens) },
            },
            tooltip: {
              callbacks: {
                label: ({ dataset, parsed }) => `${dataset.label ?? ''}: ${text(parsed.x ?? 0)}`,
              },
            },
          },
          scales: {
            x: {
              stacked: isStacked,
              beginAtZero: true,
              title: {
                display: true,
                text: unit,
                color: tokens('--ink-soft'),
                font: fontOf(tokens),
              },
              ticks: { color: tokens('--ink-soft'), font: fontOf(tokens), maxTicksLimit: 7 },
              grid: { color: tokens('--line') },
            },
            y: {
              stacked: isStacked,
              ticks: { color: tokens('--ink'), font: fontOf(tokens), autoSkip: false },
              grid: { display: false },
            },
          },
        }}
      />
    </div>
  )
}
