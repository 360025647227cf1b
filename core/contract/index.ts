/** The only vocabulary that plans, connectors and reports share. */
export {
  command,
  type Command,
  type CommandRead,
  type Deferred,
  effectOf,
  type FromStep,
  readCommand,
  targetOf,
} from './command'
export type {
  Commands,
  Connector,
  ConnectorClock,
  ConnectorListener,
  Ended,
  Evidence,
  Observe,
  Origin,
  Outcome,
} from './ports'
export { Unheard } from './ports'
export { type Ref, ref, type SliceName } from './refs'
export { heard, notAsked, type Slice } from './slices'
export { readReport, type Told } from './told'
export {
  brokenRule,
  findingSeverities,
  type FindingSeverity,
  imageFindingsRule,
  type ImageRule,
  imageRuleIn,
  type JudgedImage,
  signedImagesRule,
} from './image-rules'
export {
  accessRefusal,
  type AccessRefusal,
  type AccountPurpose,
  accountPurposes,
  isAmong,
  type PullsAs,
  pullsAs,
  type RegistryAccess,
  registryAccess,
  type RegistryAccount,
  type ShownCredential,
} from './registry-access'
export { lookedFor, redirect, type Redirect } from './redirects'
export { type Param, type Params, quoted, type Said, saidOf, sentences } from './said'
export { type Failure, portFailures, type PortName, verb, type VerbDefinition } from './verb'
export {
  type ArgsIn,
  type ArgsOf,
  type DefinitionOf,
  driveRef,
  objectRef,
  type ResultOf,
  verbNamed,
  type VerbName,
  verbNames,
} from './verbs'
export {
  type BoxFacts,
  backup,
  type ClusterEvent,
  clusterEvent,
  type ClusterReport,
  apiClient,
  clusterReport,
  type Condition,
  type LoadPoint,
  machine as machineReport,
  type MachineReport,
  type MeteredThing,
  meteredThing,
  type NodeReport,
  nodeReport,
  peer,
  type PeerReport,
  type NodeLook,
  nodeLookReport,
  type ProbeAnswer,
  type ProbeKind,
  probeKinds,
  type SiteKind,
  type SiteReport,
  siteReport,
  type ReplicaReport,
  type StorageDisk,
  type StorageReport,
  storageReport,
  type VolumeReport,
  type TrafficReport,
  trafficReport,
  type TrafficSpan,
  type UsageReport,
  usageReport,
} from './reports'
export { host, labels, manifest, nameRecord, saidShape, taint } from './shapes'
export type {
  Balancer,
  Box,
  BoxDisk,
  Card,
  FirewallRule,
  HeldAddress,
  HeldDisk,
  Host,
  Image,
  Manifest,
  NameRecord,
  Network,
  PublishedFile,
  Route,
  Taint,
  Translation,
} from './shapes'
