/** Who owns which field of an object, and since when each holds what it holds. */
import { ownersIn } from '../../core/objects'
import type { Cluster } from '../world'

type Owners = Readonly<Record<string, string>>

const fieldsOf = (owners: Owners, manager: string): string =>
  Object.keys(owners)
    .filter((path) => ownersIn(owners[path] ?? '').includes(manager))
    .join('\n')

/** Enters the owners of an object; `at` (ms) is when whoever gained or lost a field did. */
export function own(cluster: Cluster, key: string, owners: Owners, at: number): void {
  const before = cluster.owners?.[key] ?? {}
  const since = cluster.ownedAt?.[key] ?? {}
  const managers = new Set(Object.values(owners).flatMap(ownersIn))
  const times = [...managers].map((manager) => {
    const isSame = fieldsOf(owners, manager) === fieldsOf(before, manager)
    return [manager, isSame ? (since[manager] ?? at) : at]
  })
  cluster.owners = { ...cluster.owners, [key]: owners }
  cluster.ownedAt = { ...cluster.ownedAt, [key]: Object.fromEntries(times) }
}

/** Nobody owns anything of what is gone. */
export function disown(cluster: Cluster, key: string): void {
  const { [key]: _gone, ...owners } = cluster.owners ?? {}
  const { [key]: _since, ...ownedAt } = cluster.ownedAt ?? {}
  cluster.owners = owners
  cluster.ownedAt = ownedAt
}
