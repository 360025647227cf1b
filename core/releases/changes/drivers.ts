/** Which clusters drive which of others: the driver goes first, so that it knows the release before it makes machines of it. */
import type { ClusterView } from '../../fleet'

/**
 * For each cluster the drivers among the same clusters that go before it. Clusters that drive each other in a circle
 * have no order among themselves.
 */
export function driversAmong(
  clusters: readonly ClusterView[],
): ReadonlyMap<string, readonly string[]> {
  const driven = new Map(clusters.map(({ name, drives }) => [name, drives]))
  const reach = new Map(clusters.map(({ name }) => [name, reachOf(name, driven)]))
  return new Map(
    clusters.map(({ name }) => [
      name,
      clusters
        .filter((driver) => driver.drives.includes(name) && !reach.get(name)?.has(driver.name))
        .map((driver) => driver.name),
    ]),
  )
}

/** All that a cluster drives, and what these drive. */
function reachOf(
  name: string,
  driven: ReadonlyMap<string, readonly string[]>,
): ReadonlySet<string> {
  const reached = new Set<string>([name])
  for (const next of reached) {
    for (const cluster of driven.get(next) ?? []) reached.add(cluster)
  }
  return reached
}

/** Clusters by wave, counted from 1: each after all that drive it. */
export function wavesAmong(clusters: readonly ClusterView[]): ReadonlyMap<string, number> {
  const drivers = driversAmong(clusters)
  const waves = new Map<string, number>()
  const waveOf = (name: string): number => {
    const wave = waves.get(name) ?? 1 + Math.max(0, ...(drivers.get(name) ?? []).map(waveOf))
    waves.set(name, wave)
    return wave
  }
  for (const { name } of clusters) waveOf(name)
  return waves
}
