export { orderedUpgrade, type Ordered, releaseOfPool, turnedPools } from './order'
export { guardObjects, renewGuard } from './guard'
export { clusterUpgradeKind } from './upgrade'
export {
  fleetAsSet,
  fleetMemberKey,
  fleetUpgradeIntent,
  fleetUpgradeName,
  fleetUpgradeOf,
} from './fleet'
export { type PoolWay, usualWay } from './ways'
export { laidDays, lanesIntent, lanesOf, usualWaves, type WaveLane, type WaveMember } from './lanes'
export { type Second, secondOf } from './second'
export { type TwoWays, twoWays, type WayCost } from './two-ways'
export { upgradeProgress } from './progress'
