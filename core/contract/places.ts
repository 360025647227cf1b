/** Where verbs are asked and what they touch: most are asked of one site or of one cluster. */
import { ref } from './refs'

export interface OfSite {
  readonly site: string
}

export interface OfCluster {
  readonly cluster: string
}

export const atSite = ({ site }: OfSite) => ref('site', site)
export const siteSlice = ({ site }: OfSite) => [`site:${site}`] as const

export const atCluster = ({ cluster }: OfCluster) => ref('cluster', cluster)
export const clusterSlice = ({ cluster }: OfCluster) => [`cluster:${cluster}`] as const
