/** The views of the Store area. */
import { AreaTabs } from '../../parts/area-tabs'

const views = [
  ['/store', 'claims'],
  ['/store/disks', 'disks'],
  ['/store/network', 'storage network'],
  ['/store/registries', 'registries'],
  ['/store/shipments', 'shipments'],
] as const

export type StoreView = (typeof views)[number][0]

export const StoreTabs = ({ here }: { readonly here: StoreView }) => (
  <AreaTabs area="Store" views={views} here={here} />
)
