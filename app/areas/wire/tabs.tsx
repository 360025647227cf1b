/** The views of the Wire area. */
import { AreaTabs } from '../../parts/area-tabs'

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
  return <AreaTabs area="Wire" views={views} here={here} />
}
