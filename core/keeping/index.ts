export { clusterBackup, clusterRestore, renewCertificates } from './cluster'
export { decideHealth, type HealthPast, type HealthPolicy, usualHealth } from './health'
export { machineReplace, machineRestart, poolResize } from './machines'
