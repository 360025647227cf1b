export { inVersion } from './in-version'
export { defaulted, defaultedTemplate, isAlike, isSameTemplate } from './defaults'
export { controllerOf, podsOfWorkload, slicesOfService, targetPort } from './belongs'
export {
  fieldAt,
  fieldOwners,
  allOwners,
  asUpdate,
  ownersIn,
  ownField,
  putField,
  fieldsOf,
  isIdentity,
  managedFields,
  withFields,
  type Fields,
} from './fields'
export { causeField, escapePath, fieldText, itemPart, keyOf, pathSteps } from './field-paths'
export { type ListKeys, listKeys } from './list-keys'
export { applyJsonPatch, type JsonPatched } from './json-patch'
export { apiGroupOf } from './api-group'
export { asText, isRecord, type Json, list, record, records, text, texts } from './json'
export { amountOf, BadQuantity, podRequest, type Amounts } from './requests'
export { readObjects, type ApiObject, type Located, type Misread } from './read'
export {
  labelSelectorSchema,
  schemaOf,
  type BudgetObject,
  type ClaimObject,
  type Container,
  type CsiNodeObject,
  type EndpointSliceObject,
  type HttpRouteObject,
  type PolicyObject,
  type ServiceObject,
  type LabelSelector,
  type Metadata,
  type NamespaceObject,
  type NodeObject,
  type NodeTerm,
  type PodObject,
  type PodSpec,
  type PodTerm,
  type PriorityClassObject,
  type Requirement,
  type SpreadConstraint,
  type StorageClassObject,
  type Taint,
  type Toleration,
  type VolumeObject,
} from './schema'
export {
  nodeTermTest,
  requirementTest,
  selectorTest,
  type Labels,
  type LabelTest,
} from './selector'
export { type LabelsTest, readSelector, selectorTerms, type SelectorText } from './selector-text'
export {
  type Admitted,
  bindingKind,
  policiesServedFrom,
  policyKind,
  policyRefusals,
  type PolicyRefusal,
} from './admission-policies'
export { resourcesOf } from './plural'
export { type CheckedKind, isOfKind, objectOfKind, ofKind } from './of-kind'
export { podSecurityBreaks, podSecurityLabel } from './pod-security'
export {
  apiDocument,
  apiDocuments,
  type Heard,
  readDocuments,
  writeQuotedYaml,
  writeYaml,
  yamlDocument,
} from './yaml'
export { cronText } from './cron-text'
export { isCronZone, nextCron, readCron, type CronRead, type CronSchedule } from './cron'
