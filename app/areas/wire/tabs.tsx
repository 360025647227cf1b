/** The views of the Wire area, each of which keeps the aim. */
import { To } from '../../parts/to'

const views = [
  ['/wire', 'wired'],
  ['/wire/walk', 'walk'],
  ['/wire/policies', 'policies'],
  ['/wire/calls', 'calls'],
  ['/wire/traffic', 'traffic'],
  ['/wire/firewall', 'firewall'],
  ['/wire/hosts', 'hosts'],
  ['/wire/translation', 'translation'],
  ['/wire/names', 'names'],
] as const

export type WireView = (typeof views)[number][0]

export function WireTabs({ here }: { readonly here: WireView }) {
  return (
    <nav className="tabs" aria-label="Views of Wire">
      {views.map(([path, says]) => (
        <To key={path} path={path} aria-current={path === here}>
          {says}
        </To>
      ))}
    </nav>
  )
}
