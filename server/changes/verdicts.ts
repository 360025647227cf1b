/** What becomes of each object of a drafted text on its way into a cluster. */
import { clusterOf } from '~/core/fleet'
import { applyIntent, type ObjectVerdicts, verdictsOn } from '~/core/manifests'
import { verdictWalks } from '~/core/wire/changes'
import type { Fleet } from '../fleet/fleet'
import type { ChangeRecord } from './record'

/** Nothing for what is no draft of a text, or where its cluster does not answer. */
export async function verdictsFor(
  fleet: Fleet,
  { kind, state, intent, findings }: ChangeRecord,
): Promise<readonly ObjectVerdicts[]> {
  if (kind !== 'manifest.apply' || state !== 'draft') return []
  const read = applyIntent.safeParse(intent)
  if (!read.success) return []
  const { cluster: name } = read.data
  if (clusterOf(fleet.last(), name)?.apiAnswers !== true) return []
  const view = await fleet.viewFor([name], [`cluster/${name}`])
  const cluster = clusterOf(view, name)
  return cluster
    ? verdictsOn(read.data, cluster, view, findings, verdictWalks(read.data, view))
    : []
}
