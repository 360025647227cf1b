/** The shapes of what the ports report. */
export type { ClusterEvent, ClusterReport, Fault, Metered, NodeReport, PossibleFault, Site } from '~/standin'
