export {
  clusterAutoscale,
  decideNodes,
  noAutoscale,
  patienceMs,
  scalablePools,
  type AutoscaleDecision,
  type AutoscalePolicy,
} from './autoscale'
export { clusterLabel } from './label'
export { clusterBackup, clusterRestore, renewCertificates } from './cluster'
export { drainFindings, nodeCordon, nodeDrain } from './draining'
export { movesFindings } from './held'
export { poolAdd } from './pool-add'
export { poolEdit } from './pools'
export { poolRemove } from './pool-remove'
export { clusterStop } from './rest'
export { clusterStart } from './start'
export { keptMonths, keptUntil } from './kept-until'
export {
  decideHealth,
  type DiagnosedNode,
  leftAlone,
  type HealthPast,
  type HealthPolicy,
  usualHealth,
} from './health'
export { sharedCauses, silentNodes, type SharedCause } from './shared-cause'
export { machineReplace, machineRestart, shownBy } from './machines'
export { poolResize } from './resize'
export { spendPrices } from './prices'
export { clusterRest } from './rest-calendar'
export { close, drain, leave, open, remove } from './leaving'
export { standing } from './standing'
