export {
  auditAndConvert,
  convertManifests,
  type ConvertedManifests,
  type ConvertedObject,
  type LeftObject,
} from './convert'
export { auditManifests, type GoingObject, type RemovalAudit, type UnreadDocument } from './audit'
export { manifestApply, rolloutStep } from './apply'
export { manifestRemove, type RemoveIntent } from './remove'
export { changeOf, without, type FieldChange, type ObjectChange } from './diff'
export {
  compareLayers,
  readLayers,
  renderedText,
  renderLayers,
  type LayerDifference,
  type LayeredFile,
  type RenderedObject,
} from './layers'
export { layerLines, type LayerLine } from './layer-lines'
export {
  isClusterWide,
  mostBytes,
  mostDocuments,
  objectKey,
  objectText,
  parseManifests,
  tidied,
  type ManifestDocument,
  type ParsedManifests,
  type TextProblem,
  type WrittenObject,
  writtenForm,
} from './parse'
export { referencesOf, templateOf, wantedNodeLabels, type Reference } from './references'
export { invalidities, type Invalid } from './validate'
export { untar } from './untar'
export { immutableChanges } from './immutable'
export { schemaFaults as schemaFaultsOf } from './schema'
export { isServedUntil, notYetAt, removals, removalsUntil } from './removed'
export { goingOf, type GoingLive } from './going'
export { isLayered, layeredAudit, type LayeredAudit } from './layered-audit'
export { type GoingClient, goingClients } from './going-clients'
export { revisionsOf, workloadRestart, workloadUndo, type RevisionFact } from './workloads'
export { fieldsAt, placeIn, type Outline } from './outline'
export {
  type ApplyIntent,
  ownManager,
  liveObjects,
  documentsOf,
  changesOf,
  applyIntent,
} from './apply-intent'
export {
  type ObjectVerdicts,
  type Outcome,
  type Stage,
  stages,
  type Verdict,
  verdictsOn,
} from './verdicts'
export { storageAllowance, sizeAllowance } from './allowances'
export { levelLabel, namespaceObjects, securityLevels, type TeamNamespace } from './namespace'
export { knownKinds, servedAs } from './served-kinds'
