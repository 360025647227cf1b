export { orderedUpgrade, type Ordered, releaseOfPool, turnedPools } from './order'
export { guardObjects, renewGuard } from './guard'
export { clusterUpgradeKind } from './upgrade'
