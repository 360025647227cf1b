export { accountOf, callersIntent, wireCallers, type CallersIntent } from './callers'
export { callsADay, callsIn, ruleHits, wouldMeet, type Met } from './hits'
export { ingressAddress, ingressIntent, wireIngress, type IngressIntent } from './ingress'
export { keepSourceIntent, keptAfter, wireKeepSource, type KeepSourceIntent } from './keep-source'
export { changeFor, type RemedyAsChange } from './remedy-change'
export { labelsOfWorkload, letInBy, policyFromCalls } from './policy-draft'
export { policyIntent, wirePolicy, type PolicyIntent } from './policy'
export { frontage, poolFill, poolIntent, wirePool, type PoolFill, type PoolIntent } from './pool'
export {
  firewallAfter,
  firewallIntent,
  translationIntent,
  translationsAfter,
  wireFirewall,
  wireTranslation,
  type FirewallIntent,
  type TranslationIntent,
} from './rules'
export {
  openMetrics,
  serviceCurve,
  serviceUse,
  type ServicePoint,
  type ServiceUse,
} from './services'
export { shiftIntent, shiftSteps, wireShift, type ShiftIntent } from './shift'
export { type Maker, type Wired, type WiredPart, wiredParts, withMakers } from './wired'
export { verdictWalks } from './verdict-walks'
export { agentWays, byText, callsOf, callText, wayFindings, type Call } from './ways'
