export { clusterBackup, clusterRestore, renewCertificates } from './cluster'
export { drainFindings, nodeCordon, nodeDrain } from './draining'
export { decideHealth, type HealthPast, type HealthPolicy, usualHealth } from './health'
export { machineReplace, machineRestart, poolResize } from './machines'
