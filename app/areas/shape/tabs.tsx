/** The views of the Shape area. */
import { AreaTabs } from '../../parts/area-tabs'

const views = [
  ['/shape', 'capacity'],
  ['/shape/board', 'placement'],
  ['/shape/workloads', 'workloads'],
  ['/shape/sizes', 'right sizes'],
  ['/shape/namespaces', 'namespaces'],
  ['/shape/manifests', 'manifests'],
  ['/shape/scaling', 'scaling'],
  ['/shape/rest', 'rest'],
  ['/shape/windows', 'windows'],
  ['/shape/spend', 'spend'],
] as const

export type ShapeView = (typeof views)[number][0]

export function ShapeTabs({ here }: { readonly here: ShapeView }) {
  return <AreaTabs area="Shape" views={views} here={here} />
}

/** The cluster that a page is about: the aim, where that is one. */
export function aimedCluster(request: Request): string | null {
  const aim = new URL(request.url).searchParams.get('aim')
  return aim?.startsWith('cluster/') ? aim.slice('cluster/'.length) : null
}
