export {
  clusterAutoscale,
  decideNodes,
  noAutoscale,
  patienceMs,
  scalablePools,
  type AutoscaleDecision,
  type AutoscalePolicy,
} from './autoscale'
export { clusterBackup, clusterRestore, renewCertificates } from './cluster'
export { drainFindings, nodeCordon, nodeDrain } from './draining'
export { poolAdd, poolEdit, poolRemove } from './pools'
export { clusterRest, clusterStart, clusterStop, keptMonths, keptUntil } from './rest'
export { decideHealth, type HealthPast, type HealthPolicy, usualHealth } from './health'
export { machineReplace, machineRestart, poolResize } from './machines'
export { spendPrices } from './prices'
