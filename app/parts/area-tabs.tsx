/** The views of an area, each of which keeps the aim. */
import { Tabs } from '../kit/tabs'

export function AreaTabs<Path extends string>({
  area,
  views,
  here,
}: {
  readonly area: string
  readonly views: readonly (readonly [path: Path, says: string])[]
  readonly here: Path
}) {
  return (
    <Tabs
      label={`Views of ${area}`}
      here={here}
      tabs={views.map(([path, says]) => ({ id: path, path, says }))}
    />
  )
}
