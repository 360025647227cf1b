/** Maintenance windows: when something may be done. */
export { type Occurrence, occurrences, type OccurrencesRead, type WindowSpec } from './occurrences'
export { readRule, type Rule, type RuleRead } from './rule'
export {
  coveredBy,
  isCovered,
  nextOccurrence,
  occurrencesOf,
  uncovered,
  windowNamed,
  windowsOf,
} from './of-fleet'
export { type WindowIntent, windowIntent, windowRemove, windowSet } from './kinds'
