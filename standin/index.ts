export { enterCredential } from './sites/ground'
export { buildWorld } from './build'
export { endFault, faultObjection, possibleFaults, type PossibleFault, startFault } from './faults'
export {
  clusterReport,
  type ClusterReport,
  eventsOf,
  type NodeReport,
  objectsOf,
  siteReport,
} from './report'
export { loadAt } from './cluster/autoscale'
export { usage, type Usage } from './cluster/usage'
export { podLog, probe, probeKinds, type ProbeAnswer, type ProbeKind } from './cluster/probes'
export { peersOf } from './traffic/path'
export { trafficOf, type TrafficReport } from './traffic/flows'
export { type Scenario, scenarioSchema } from './scenario'
export type { Snapshot } from './engine/sim'
export { Simulator } from './engine/simulator'
export type {
  Cluster,
  ClusterEvent,
  Fault,
  FaultKind,
  FirewallRule,
  Metered,
  Operation,
  OperationFailure,
  Peer,
  Site,
  Span,
  Translation,
  World,
} from './world'
