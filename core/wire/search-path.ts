/** A name as a pod would have it answered: its search path tried in order, each try with who answered. Source: the DNS of the Kubernetes API, ndots 5. */
import { formatAddress } from '../addresses'
import type { ReadyWorld } from './prepared'
import { walk } from './walk'
import { resolveName } from './names'
import { type Place } from './hops'

export interface NameTry {
  readonly name: string
  /** Empty where nobody answers. */
  readonly addresses: readonly string[]
  /** The service or record that answered, and where it is kept. */
  readonly by: string
  readonly who: string
}

const ndots = 5

/** Tries of a pod for a name, up to the one that is answered. A full name (ending in a dot) is tried alone. */
export function lookUp(
  world: ReadyWorld,
  pod: { readonly pod: string; readonly cluster: string },
  name: string,
): readonly NameTry[] | null {
  const walkRead = walk(world, { from: pod, to: { name: 'x' }, port: 53, protocol: 'UDP' })
  const place: Place | null = walkRead.ok ? walkRead.walk.from : null
  const cluster = place?.cluster
  if (!place || !cluster) return null
  const [namespace = 'default'] = pod.pod.split('/')
  const bare = name.trim()
  const suffixes = [
    `${namespace}.svc.${cluster.dnsDomain}`,
    `svc.${cluster.dnsDomain}`,
    cluster.dnsDomain,
  ]
  const searched = suffixes.map((suffix) => `${bare}.${suffix}`)
  let names: string[]
  if (bare.endsWith('.')) names = [bare.slice(0, -1)]
  else if (bare.split('.').length - 1 >= ndots) names = [bare, ...searched]
  else names = [...searched, bare]
  const tries: NameTry[] = []
  for (const text of names) {
    const answer = resolveName(world, text, place)
    const inside = text.endsWith(cluster.dnsDomain)
    tries.push({
      name: text,
      addresses: answer?.addresses.map(({ address }) => formatAddress(address)) ?? [],
      by: answer?.by ?? '',
      who: inside
        ? `name service of ${cluster.name}`
        : `records of ${place.site?.name ?? 'no site'}`,
    })
    if (answer) break
  }
  return tries
}
