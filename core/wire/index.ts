export {
  callersLabel,
  mayCall,
  readCallers,
  type CallerRule,
  type CallerVerdict,
  type CallerWorld,
} from './callers'
export { lookUp, type NameTry } from './search-path'
export { flowOf, type FlowQuery, type FlowResult, type FlowShare } from './flow'
export {
  poolTrend,
  type PoolTrend,
  nodePortsOf,
  portCollisions,
  virtualAddressFor,
  type PortCollision,
  type VirtualAddress,
} from './virtual'
export { endChoices, readFrom, readTo, type EndRead } from './ends'
export {
  clustersOf,
  expectations,
  expectedIn,
  presentQuery,
  queryOf,
  type Expected,
} from './expectations'
export {
  frontMembers,
  networkHolding,
  preparingWorld,
  readyWorldOf,
  walkWorldOf,
} from './from-fleet'
export { everywhere, readSpans, spansOf, within, type BadText, type Spans } from './spans'
export {
  asEnd,
  policyIn,
  policyOut,
  selecting,
  type PodEnd,
  type Policy,
  type PolicyEnd,
  type PolicyWorld,
  type Protocol,
  type Verdict,
} from './policy'
export { FirstMatch, type RuleFields } from './first-match'
export {
  networkOf,
  siteOfAddress,
  type Endpoint,
  type NodeEnd,
  type ReadyCluster,
  type ReadySite,
  type ReadyWorld,
  type Service,
  type WorldRead,
} from './prepared'
export {
  patchedWorld,
  remedyKinds,
  walkRemedies,
  type PatchStep,
  type RemedyKind,
  type WalkRemedy,
} from './remedies'
export { reviewFirewall, type Review, type ReviewRead } from './review'
export {
  hostOf,
  readRoutes,
  routeRequest,
  type ReadyRoute,
  type RoutedTo,
  type RouteRequest,
  type RoutesRead,
} from './http-route'
export { walk } from './walk'
export {
  firewallRuleSchema,
  fromSchema,
  portSchema,
  protocolSchema,
  toSchema,
  translationSchema,
  walkWorldSchema,
  type FirewallRule,
  type Translation,
  type WalkCluster,
  type WalkFrom,
  type WalkPeer,
  type WalkSite,
  type WalkTo,
  type WalkWorld,
} from './world'
export {
  type Decider,
  type WalkRead,
  type Hop,
  type Header,
  type Walk,
  hopNames,
  type Place,
  type HopName,
  type WalkQuery,
} from './hops'
export { nameLabel, readPolicyWorld } from './policy-reading'
export { type HopAnswer, walkAnswer, type WalkAnswer } from './walk-answer'
export { prepareWorld, readPorts, readFirewallRule } from './prepare'
export { resolveName } from './names'
export { routeTo } from './arrival'
