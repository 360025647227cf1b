/** The shapes of what the ports report. */
export type { ClusterEvent, ClusterReport, Fault, NodeReport, PossibleFault, Site } from '~/standin'
