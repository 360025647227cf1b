/** The sentences of this area, by the code of what they tell. */
import { sentences } from '../contract/said'
import { listText } from '../units'

export const said = sentences({
  'cluster.none': () => 'No cluster is chosen.',
  'cluster.missing': (p: { cluster: string }) => `There is no cluster ${p.cluster}.`,
  clusters: (p: { clusters: readonly string[] }) => `clusters: ${listText(p.clusters, 10)}`,
})
