/** The views of an area, each of which keeps the aim. */
import { To } from './to'

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
    <nav className="tabs" aria-label={`Views of ${area}`}>
      {views.map(([path, says]) => (
        <To key={path} path={path} aria-current={path === here}>
          {says}
        </To>
      ))}
    </nav>
  )
}
