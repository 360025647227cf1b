/** Clusters that exist already: how Gyrarch gets to them, what it reads there and what it may ask. */
export {
  type AccessRead,
  type AccessWay,
  contextsOf,
  openedWay,
  readAccessFile,
  sealedAccessFile,
  type SignIn,
  withContext,
} from './access-file'
export { actingManifest, agentAccount, agentManifest, rolesText } from './agent-manifest'
export { clusterDismiss, clusterEnrol, type EnrolIntent, labelFindings } from './enrol'
export { changesThroughApi, notHere } from './not-here'
