/** The charts of the kit, brought to the browser once a page is awake: the room they take is kept for them. */
import { lazy, Suspense } from 'react'
import { useAwake } from '../awake'
import type { BarChartProps } from './bar-chart'
import { barChartHeight } from './height'
import type { TimeChartProps } from './time-chart'

const Times = lazy(() => import('./time-chart'))
const Bars = lazy(() => import('./bar-chart'))

export type { Bar, Series } from './bar-chart'
export type { Curve } from './time-chart'

export function TimeChart(props: TimeChartProps) {
  const room = <div style={{ height: props.height }} />
  return useAwake() ? (
    <Suspense fallback={room}>
      <Times {...props} />
    </Suspense>
  ) : (
    room
  )
}

export function BarChart(props: BarChartProps & { readonly title: string }) {
  const { title, ...chart } = props
  const isAwake = useAwake()
  const room = <div style={{ height: barChartHeight(chart) }} />
  return (
    <figure className="chart">
      <figcaption>{title}</figcaption>
      {isAwake ? (
        <Suspense fallback={room}>
          <Bars {...chart} />
        </Suspense>
      ) : (
        room
      )}
    </figure>
  )
}
