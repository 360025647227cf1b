/** What becomes of each object of a drafted text on its way into a cluster. */
import { clusterOf } from '~/core/fleet'
import { applyIntent, type ObjectVerdicts } from '~/core/manifests'
import type { Fleet } from '../fleet/fleet'
import type { Judges } from '../judging/judges'
import type { ChangeRecord } from './record'

/** Nothing for what is no draft of a text, or where its cluster does not answer. */
export async function verdictsFor(
  { fleet, judges }: { readonly fleet: Fleet; readonly judges: Judges },
  { kind, state, intent, findings }: ChangeRecord,
  signal?: AbortSignal,
): Promise<readonly ObjectVerdicts[]> {
  if (kind !== 'manifest.apply' || state !== 'draft') return []
  const read = applyIntent.safeParse(intent)
  if (!read.success) return []
  const { cluster } = read.data
  if (clusterOf(fleet.last(), cluster)?.apiAnswers !== true) return []
  const view = await fleet.viewFor([cluster], [`cluster/${cluster}`])
  return judges.verdicts(intent, findings, view, signal)
}
