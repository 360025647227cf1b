/** The views of the Renew area. */
import { AreaTabs } from '../../parts/area-tabs'

const views = [
  ['/renew', 'support'],
  ['/renew/audit', 'audit'],
  ['/renew/upgrades', 'upgrades'],
  ['/renew/waves', 'waves'],
  ['/renew/rehearse', 'rehearse'],
] as const

export type RenewView = (typeof views)[number][0]

export const RenewTabs = ({ here }: { readonly here: RenewView }) => (
  <AreaTabs area="Renew" views={views} here={here} />
)
