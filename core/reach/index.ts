/** Clusters that exist already: how Gyrarch gets to them, what it reads there and what it may ask. */
export {
  type AccessRead,
  type AccessWay,
  addressOf,
  contextsOf,
  openedWay,
  readAccessFile,
  sealedAccessFile,
  type SignIn,
  withContext,
} from './access-file'
export { agentManifest, rolesText } from './agent-manifest'
export { clusterDismiss, clusterEnrol, type EnrolIntent } from './enrol'
export { isThroughTheApi, notHere } from './not-here'
