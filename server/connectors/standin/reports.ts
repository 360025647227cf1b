/** The shapes of what the ports report. */
export type {
  ClusterEvent,
  ClusterReport,
  Fault,
  FirewallRule,
  Metered,
  Peer,
  Span,
  TrafficReport,
  Translation,
  NodeReport,
  PossibleFault,
  Site,
} from '~/standin'
