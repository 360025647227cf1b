/** The height of a bar chart in pixels: so much a bar, and the axis and the legend. */
export const barChartHeight = ({
  bars,
  series,
  isStacked,
}: {
  readonly bars: readonly unknown[]
  readonly series: readonly unknown[]
  readonly isStacked: boolean
}): number => 62 + bars.length * (isStacked ? 24 : 12 + 10 * series.length)
