export { labelledAs, labelsInUse, labelTexts, type Labelled } from './labels'
export { bareFleet, bareSite, withSite, zoneStore } from './bare'
export {
  type BalancerView,
  type BoxView,
  type CardView,
  clusterDomain,
  clusterOf,
  type ClusterView,
  type Condition,
  type CredentialView,
  type DiskView,
  type ExpectationView,
  type FirewallRuleView,
  type FleetView,
  type HeldAddress,
  type HeldDisk,
  type HostView,
  type ImageView,
  type LedgerEntry,
  type MachineView,
  type NetworkView,
  nodesOf,
  type NodeView,
  type PeerView,
  type PoolView,
  type RecordView,
  type Reservation,
  type RouteView,
  type ShipmentView,
  type SnapshotScheduleView,
  elsewhere,
  siteOf,
  type SiteKind,
  type SiteView,
  type SizeView,
  type Taint,
  type TrafficSpan,
  type TrafficView,
  type WindowView,
  type TranslationView,
} from './view'
export {
  clusterState,
  nodeState,
  permittedSkew,
  poolState,
  type Reasoned,
  siteState,
  type State,
  type StateContext,
  stateOrder,
  amissText,
} from './state'
export {
  addressBook,
  type BookEntry,
  type BookKind,
  bookKinds,
  carveFrom,
  carveSpan,
  freeRangesAt,
  type Collision,
  collisions,
} from './address-book'
export { type AddressHolder, whoHolds } from './holders'
export {
  findPlaces,
  indexed,
  placesAt,
  placesIn,
  type FleetPlace,
  type IndexedPlace,
} from './places'
export { leftovers, type Leftover } from './leftovers'
export { scoped, setStrictViews, UnneededRead, wholeView, withParts } from './scope'
export { type FleetNode, fleetTree, stateContext, type TreePod, withPods } from './tree'
export { probeKinds, workloadsIn, type PodFact, type WorkloadFact } from './workloads'
export {
  accountOf,
  accountSubject,
  type Deed,
  mayDo,
  notHeld,
  rightsOf,
  type Subject,
} from './authorize'
export { rightsIn, rulesOf, whatCan, whoCan, type Right, type WhoCan } from './rights'
export { stands } from './stands'
export {
  knownObjects,
  knownTraffic,
  objectsHeard,
  listedObjects,
  trafficIn,
  withObjectList,
  withStarting,
  yetToStart,
} from './slices'
export { type Whose, whoseIs, whoseText } from './whose'
