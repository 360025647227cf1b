/** What the stand-ins offer to their connector. */
export { enterCredential } from './sites/ground'
export { takeTold } from './registry/held'
export { buildWorld } from './build'
export { endFault, startFault } from './fault-tray'
export { clusterReport } from './report/cluster'
export { eventsOf } from './report/events'
export { objectsOf } from './report/objects'
export { boxFactsOf, credentialAnswer, meterOf, siteReport } from './report/site'
export { loadAt } from './cluster/autoscale'
export { usage } from './cluster/usage'
export { podLog, probe } from './cluster/probes'
export { nodeLog } from './report/node-log'
export { nodeLook } from './report/node-look'
export { peersOf } from './traffic/holders'
export { trafficOf } from './traffic/flows'
export { type Scenario, scenarioSchema } from './scenario'
export type { Snapshot } from './engine/sim'
export { Simulator } from './engine/simulator'
export type {
  Cluster,
  Fault,
  FaultKind,
  Manifest,
  Operation,
  OperationFailure,
  Pod,
  Site,
  Workload,
  World,
} from './world'
export { type PossibleFault, possibleFaults } from './fault-list'
export { faultObjection } from './possible-faults'
