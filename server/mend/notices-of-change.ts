/** Who would notice a change that stops, takes down, drains or restarts something. */
import type { ChangeRecord } from '../changes/changes'
import type { Gyrarch } from '../gyrarch'
import { type Noticing, whoNotices } from './who-notices'

/** What a change takes away for a while or for good, by its kind: the cluster, or nodes of it. */
function subjectsOf(kind: string, intent: unknown): readonly string[] {
  const { node, nodes = [] } = intent as { node?: string; nodes?: readonly string[] }
  switch (kind) {
    case 'cluster.takedown':
    case 'cluster.stop':
      return ['cluster']
    case 'node.drain':
      return nodes.map((name) => `node/${name}`)
    case 'machine.restart':
    case 'machine.replace':
      return node === undefined || node === '' ? [] : [`node/${node}`]
    default:
      return []
  }
}

/** Of a draft; nobody of what runs already. */
export async function noticesOfChange(
  gyrarch: Gyrarch,
  { kind, intent, state }: Pick<ChangeRecord, 'kind' | 'intent' | 'state'>,
): Promise<readonly Noticing[]> {
  const subjects = state === 'draft' ? subjectsOf(kind, intent) : []
  const { cluster } = intent as { cluster?: string }
  const view = gyrarch.fleet.last()
  if (subjects.length === 0 || !view.clusters.some(({ name }) => name === cluster)) return []
  const name = cluster ?? ''
  const objects = await gyrarch.fleet.objectsOf(name)
  if (!objects) return []
  return whoNotices(view, name, subjects, objects, await gyrarch.fleet.trafficOf(name))
}
