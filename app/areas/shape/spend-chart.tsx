/** Where the coming month goes: one bar for each cluster or pool, by what costs it. */
import type { SpendLine } from '~/core/spend'
import { countText, moneyText } from '~/core/units'
import { BarChart, type Series } from '../../kit/chart/chart'

type Line = Pick<SpendLine, 'site' | 'cluster' | 'pool' | 'what' | 'units'>

const tokens = ['--petrol', '--brass', '--working', '--well', '--resting', '--arc-4'] as const
const mostBars = 8

const nameOf = (line: Line, by: 'cluster' | 'pool'): string => {
  if (by === 'pool') return line.pool ?? 'no pool'
  return line.cluster ?? `${line.site}, shared`
}

/** Units of each kind of line, by the name of the bar they belong to. */
function unitsByName(
  rows: readonly Line[],
  by: 'cluster' | 'pool',
): ReadonlyMap<string, ReadonlyMap<string, number>> {
  const names = new Map<string, Map<string, number>>()
  for (const line of rows) {
    const name = nameOf(line, by)
    const units = names.get(name) ?? new Map<string, number>()
    units.set(line.what, (units.get(line.what) ?? 0) + line.units)
    names.set(name, units)
  }
  return names
}

const sum = (units: Iterable<number>): number => [...units].reduce((total, each) => total + each, 0)

export function SpendChart({
  rows,
  by,
}: {
  readonly rows: readonly Line[]
  readonly by: 'cluster' | 'pool'
}) {
  const names = [...unitsByName(rows, by)].sort(([, a], [, b]) => sum(b.values()) - sum(a.values()))
  if (sum(rows.map((line) => line.units)) === 0) return null
  const shown = names.slice(0, mostBars)
  const rest = names.slice(mostBars)
  const kinds = [...new Set(rows.filter((line) => line.units > 0).map((line) => line.what))]
  const series: readonly Series[] = kinds.map((name, i) => ({
    name,
    token: tokens[i % tokens.length] ?? '--petrol',
  }))
  const bars = [
    ...shown.map(([name, units]) => ({ name, values: kinds.map((kind) => units.get(kind) ?? 0) })),
    ...(rest.length === 0
      ? []
      : [
          {
            name: countText(rest.length, 'other'),
            values: kinds.map((kind) => sum(rest.map(([, units]) => units.get(kind) ?? 0))),
          },
        ]),
  ]
  return (
    <BarChart
      title="Where the coming month goes"
      label={`Spend of the coming month by ${by}`}
      unit="units in the coming month"
      series={series}
      bars={bars}
      isStacked
      text={moneyText}
    />
  )
}
