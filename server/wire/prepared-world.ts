/** The world of walks out of a picture, read cluster by cluster: others have their turn in between. */
import type { FleetView } from '~/core/fleet'
import { preparingWorld, readyWorldOf } from '~/core/wire'
import { breath } from '../breath'

export async function preparedWorld(view: FleetView): Promise<ReturnType<typeof readyWorldOf>> {
  for (const _cluster of preparingWorld(view)) await breath()
  return readyWorldOf(view)
}
