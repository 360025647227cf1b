/** The views of the Mend area. */
import { AreaTabs } from '../../parts/area-tabs'

const views = [
  ['/mend', 'on duty'],
  ['/mend/practice', 'practice'],
  ['/mend/told', 'told'],
] as const

export type MendView = (typeof views)[number][0]

export const MendTabs = ({ here }: { readonly here: MendView }) => (
  <AreaTabs area="Mend" views={views} here={here} />
)
