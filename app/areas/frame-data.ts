/** What the frame shows on every page. */
import { noticesOf } from '~/core/notices'
import { stepsOf } from '~/server/changes/record'
import type { Gyrarch } from '~/server/gyrarch'
import { clockState } from '~/server/live/frames'
import { breath } from '~/server/breath'
import type { FrameData } from '../frame/frame'

const titles: Readonly<Record<string, string>> = { hall: 'hall', cloud: 'cloud', edge: 'edge' }

export async function frameData(gyrarch: Gyrarch, at: string | null): Promise<FrameData> {
  // Read before anything else: what is told while the page is put together counts as missed, and is read again.
  const { mark } = gyrarch.hub
  const view = await gyrarch.fleet.view()
  await breath()
  const clock = clockState(gyrarch)
  const recent = await gyrarch.changes.list({ limit: 60, ownOnly: true })
  const active = recent.filter(
    (row) =>
      row.state === 'running' ||
      row.state === 'undoing' ||
      row.state === 'halted' ||
      row.state === 'waiting',
  )
  const runs = await Promise.all(
    active.map(async (row) => ({
      id: `c-${row.number}`,
      label: row.label,
      state: row.state,
      steps: await stepsOf(row),
    })),
  )
  const broken = gyrarch
    .tree(view)
    .children.flatMap((site) => site.children)
    .filter((cluster) => cluster.state === 'broken').length
  return {
    clock: { ...clock, mark },
    aims: [
      ...view.clusters.map((cluster) => ({
        ref: `cluster/${cluster.name}`,
        name: cluster.name,
        where: cluster.site,
        guarded: cluster.guarded,
      })),
      ...view.sites.map((site) => ({
        ref: `site/${site.name}`,
        name: site.name,
        where: titles[site.kind] ?? site.kind,
        guarded: false,
      })),
    ],
    runs,
    moment: at === null || !gyrarch.history ? null : await gyrarch.history.around(at),
    counts: {
      '/fleet': broken,
      '/raise': active.filter((row) => row.state === 'halted').length,
      '/renew': noticesOf(view).length,
      '/mend': await gyrarch.cases.openCount(),
    },
  }
}
