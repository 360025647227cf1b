/** From a symptom to its cause; and what is broken in a cluster, as cases. */
export { caseRemedies, type CaseRemedy, mendOf } from './case-remedies'
export { casesOf, dueAfterStart, type Trouble, troublesOf } from './cases'
export { type CauseCode, causeCodes, type Link, type RuledOut } from './causes'
export {
  diagnose,
  diagnosisOf,
  type Diagnosis,
  type DiagnosedCause,
  type DiagnosisInput,
  lookAgain,
} from './diagnose'
export { Evidence, type Fact, type Log, type Ref } from './facts'
export { withHost } from './fleet/hosts'
export { answerTroubles, diskTroubles, expectationTroubles } from './fleet/troubles'
export { slowTroubles, type TimedStep } from './fleet/slow'
export { spotTroubles } from './fleet/spot'
export { type FleetCause, fleetCauses } from './fleet/told'
export { type DrillFacts, drillScore } from './score'
export { meaningOf } from './says'
