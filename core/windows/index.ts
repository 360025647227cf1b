/** Maintenance windows: when something may be done. */
export { type Occurrence, occurrences, type OccurrencesRead, type WindowSpec } from './occurrences'
export { readRule, type Rule, type RuleRead } from './rule'
