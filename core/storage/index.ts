export { bindClaims, type ClaimAsked, type ClaimsBound, type WaitingClaim } from './binding'
export { type BoundClaim, type ClassStore, type WaitingReason, waitingReasons } from './provision'
export { type ClaimRow, type ClassRow, type StorageOverview, storageOverview } from './overview'
export { readStorage, type StorageObjects } from './storage-objects'
export {
  copyLabel,
  type Growth,
  growthOfVolume,
  lossesOfStorage,
  orderOf,
  plannedBytes,
  volumeState,
} from './kept'
export { type Grant, quotaKey } from './grants'
export { copyNodes, linkOn, type Pair } from './pairs'
export { daysUntilFull, growthPerDay, type UsedSample } from './growth'
export {
  type Loss,
  type PlacedVolume,
  placeReplicas,
  type Refusal,
  refusals,
  replicaMistake,
  type Replica,
  type ReplicaOrder,
  replicaPlacementSchema,
} from './replicas'
