export { orderedUpgrade, type Ordered, releaseOfPool, turnedPools } from './order'
export { clusterUpgradeKind } from './upgrade'
