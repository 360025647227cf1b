export { type Command, type Failure, type PortName, type Ref, ref } from '../contract'
export {
  type Answer,
  type ChangeKind,
  type Estimate,
  type Fact,
  type Finding,
  type FindingKey,
  type JsonPatch,
  type Level,
  type Plan,
  type Proof,
  type FailedAttempt,
  type Offer,
  type RawFinding,
  type Remedy,
  type RemedyChange,
  type RetryPolicy,
  type SliceKey,
  type Step,
  type StepId,
  type StepResults,
} from './change'
export { answering, listing } from './answering'
export { guardedCluster, noCluster, noNamespace } from './clusters'
export { caution, note, pointerOf, stop, unreadableRange } from './finding'
export { canonicalJson, digestOf, inOrder, longestPath, planDigest, schedule } from './graph'
export { notBegun } from './not-begun'
export { goesWith, standsOn, type Traces } from './stands-on'
export { withoutChange } from './undone'
export {
  type ApplyChange,
  findingsOf,
  keyOf,
  patchDraft,
  provenAnswers,
  remediesPerFinding,
} from './prove'
export { lateness, type Progress, progressOf, type StepProgress } from './progress'
