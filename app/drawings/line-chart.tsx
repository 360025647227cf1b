/** Curves over a day, in the tokens of the theme, with units on the axes. Drawn only in the browser. */
import {
  CategoryScale,
  Chart,
  Filler,
  Legend,
  LinearScale,
  LineElement,
  PointElement,
  Tooltip,
} from 'chart.js'
import { useColorScheme } from '@mui/material/styles'
import { useEffect, useState } from 'react'
import { Line } from 'react-chartjs-2'

Chart.register(CategoryScale, LinearScale, LineElement, PointElement, Tooltip, Legend, Filler)

export interface Curve {
  readonly name: string
  readonly values: readonly number[]
  readonly axis: 'left' | 'right'
  readonly token: string
  readonly isStepped?: boolean
  readonly isDashed?: boolean
}

export interface LineChartProps {
  readonly label: string
  readonly times: readonly string[]
  readonly curves: readonly Curve[]
  readonly left: string
  readonly right: string
  readonly height: number
}

export function LineChart({ label, times, curves, left, right, height }: LineChartProps) {
  const [tokens, setTokens] = useState<Readonly<Record<string, string>> | null>(null)
  const { mode, systemMode } = useColorScheme()
  useEffect(() => {
    const style = getComputedStyle(document.documentElement)
    const names = [...curves.map((curve) => curve.token), '--line', '--ink-soft', '--text']
    setTokens(Object.fromEntries(names.map((name) => [name, style.getPropertyValue(name).trim()])))
    // The theme decides what the tokens are.
  }, [mode, systemMode, curves])
  if (!tokens) return <div style={{ height }} />
  const of = (name: string): string => tokens[name] ?? 'currentColor'
  const axis = (position: 'left' | 'right', says: string) => ({
    position,
    beginAtZero: true,
    title: { display: true, text: says, color: of('--ink-soft') },
    ticks: { color: of('--ink-soft'), precision: 0 },
    grid: { color: of('--line'), drawOnChartArea: position === 'left' },
  })
  return (
    <div style={{ height }}>
      <Line
        aria-label={label}
        role="img"
        data={{
          labels: [...times],
          datasets: curves.map((curve) => ({
            label: curve.name,
            data: [...curve.values],
            yAxisID: curve.axis,
            borderColor: of(curve.token),
            backgroundColor: of(curve.token),
            borderWidth: 1.8,
            pointRadius: 0,
            ...(curve.isStepped === true ? { stepped: true as const } : {}),
            ...(curve.isDashed === true ? { borderDash: [5, 4] } : {}),
          })),
        }}
        options={{
          animation: false,
          maintainAspectRatio: false,
          interaction: { mode: 'index', intersect: false },
          plugins: {
            legend: { position: 'bottom', labels: { color: of('--ink-soft'), boxHeight: 2 } },
          },
          scales: {
            x: { ticks: { color: of('--ink-soft'), maxTicksLimit: 13 }, grid: { display: false } },
            left: axis('left', left),
            ...(right === '' ? {} : { right: axis('right', right) }),
          },
        }}
      />
    </div>
  )
}
