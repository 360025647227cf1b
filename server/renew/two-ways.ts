/** Both ways of a cluster to a release, each judged as the draft that it would be. */
import type { FleetView } from '~/core/fleet'
import { kindNamed } from '~/core/kinds'
import { secondOf, type TwoWays, twoWays } from '~/core/releases/changes'
import type { Gyrarch } from '../gyrarch'

/** So long both clusters stand before the first goes, unless it is said otherwise (s). */
export const usualSoak = 86_400

async function judged(gyrarch: Gyrarch, kind: string, intent: unknown, signal?: AbortSignal) {
  const read = kindNamed(kind)?.read(intent)
  if (!read?.ok) throw new Error(`${kind} does not take what was put together for it`)
  return gyrarch.judges.judge(kind, read.draft, signal)
}

/** Null where the cluster or the release is not known, or where its machines stand nobody knows where. */
export async function waysTo(
  gyrarch: Gyrarch,
  of: { readonly cluster: string; readonly to: string; readonly soakSeconds?: number },
  signal?: AbortSignal,
): Promise<TwoWays | null> {
  const { cluster, to, soakSeconds = usualSoak } = of
  const view: FleetView = await gyrarch.fleet.viewFor([cluster], [], true)
  const second = secondOf(view, cluster, to)
  const site = view.sites.find(({ name }) => name === second?.raise.site)
  if (!second || !site) return null
  const upgrade = await judged(gyrarch, 'cluster.upgrade', { cluster, to, pools: [] }, signal)
  const raise = await judged(gyrarch, 'cluster.raise', second.raise, signal)
  return twoWays({ upgrade, raise, second, site, soakSeconds })
}
