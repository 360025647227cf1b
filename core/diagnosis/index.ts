/** From a symptom to its cause. */
export { type CauseCode, causeCodes } from './causes'
export { diagnose, type Diagnosis, type DiagnosedCause, type DiagnosisInput } from './diagnose'
