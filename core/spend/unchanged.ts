import { clusterOf, type FleetView, siteOf } from '../fleet/view'
import { siteSpend } from './site-spend'

/** The monthly spend of a cluster’s site, EUR, before and after a change that leaves it as it is; 0 for a site not known. */
export function spendUnchanged(
  view: FleetView,
  cluster: string,
): { readonly before: number; readonly after: number } {
  const site = siteOf(view, clusterOf(view, cluster)?.site ?? '')
  const perMonth = site ? siteSpend(site).perMonth : 0
  return { before: perMonth, after: perMonth }
}
