/** A new draft, filled with what the site most likely wants, and on to its sheet. */
import { redirect } from 'react-router'
import { freeRangesAt, type FleetView, type SiteView } from '~/core/fleet'
import { bestDisk } from '~/core/provisioning'
import { compareReleases } from '~/core/units'
import { isUnsupported } from '~/core/releases'
import { gyrarchContext } from '../../context'
import type { Route } from './+types/new'

/** The release most of the supported fleet runs that this site holds an image of; else the newest it holds. */
function releaseFor(view: FleetView, site: SiteView): string {
  const usable = view.catalogue.filter(
    (release) =>
      release.withdrawn === null &&
      !isUnsupported(release, view.now) &&
      site.images.some((image) => image.release === release.version),
  )
  const run = new Set(view.clusters.map((cluster) => cluster.release))
  const newest = usable
    .map((release) => release.version)
    .sort((a, b) => Number(run.has(b)) - Number(run.has(a)) || compareReleases(b, a))
  return newest[0] ?? ''
}

/** A first draft for a site: everything it needs, nothing it does not. */
export function firstDraft(view: FleetView, site: SiteView): Record<string, unknown> {
  const common = {
    name: '',
    site: site.name,
    release: releaseFor(view, site),
    ranges: { ...freeRangesAt(view, site.name), maxPodsPerNode: 110 },
    ...(view.sshKeys[0] === undefined ? {} : { sshKey: view.sshKeys[0] }),
  }
  const worker = [...site.sizes]
    .filter((size) => size.cores >= 2)
    .sort((a, b) => a.cores - b.cores || b.memoryBytes - a.memoryBytes)[0]
  if (site.kind === 'edge') {
    const box = site.boxes.find((box) => box.usedBy === null) ?? site.boxes[0]
    const disk = box && bestDisk(box, 30)
    const card = box?.cards.find((card) => card.sharedWith === 0 && card.network !== null)
    return {
      ...common,
      controlPlane: { kind: 'own', count: 1, alsoWorkers: true },
      machines: box
        ? [
            {
              machine: box.name,
              roles: ['control-plane', 'worker'],
              nodeName: '',
              ...(disk ? { disk: disk.identifier } : {}),
              ...(card ? { card: card.name } : {}),
            },
          ]
        : [],
    }
  }
  const pools = worker ? [{ name: 'general', size: worker.name, count: 2 }] : []
  if (site.kind === 'cloud')
    return { ...common, controlPlane: { kind: 'managed', tier: 'plain' }, pools }
  return { ...common, controlPlane: { kind: 'own', count: 3 }, pools }
}

export const loader = () => redirect('/raise')

export async function action({ request, context }: Route.ActionArgs) {
  const gyrarch = context.get(gyrarchContext)
  const view = await gyrarch.fleet.view()
  const search = new URL(request.url).searchParams
  const aim = search.get('aim') ?? ''
  const wanted =
    search.get('site') ??
    (aim.startsWith('site/')
      ? aim.slice(5)
      : view.clusters.find((cluster) => `cluster/${cluster.name}` === aim)?.site)
  const site = view.sites.find((site) => site.name === wanted) ?? view.sites[0]
  if (!site) throw redirect('/raise')
  const record = await gyrarch.changes.draft('cluster.raise', firstDraft(view, site))
  throw redirect(`/raise/${record.id}${search.has('aim') ? `?aim=${aim}` : ''}`)
}
