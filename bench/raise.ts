/** What is computed while a cluster is drafted: exact host packing, check and plan of a hundred nodes. */
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { findingsOf } from '../core/changes'
import type { FleetView } from '../core/fleet'
import { clusterRaise, raiseIntent } from '../core/provisioning'
import { hallRoom } from '../core/sizing'
import { Gyrarch } from '../server/gyrarch'
import { inThisThread } from '../server/connectors/standin/engine-link'
import { type Figure, measure } from './figure'

export function packingFigures(): readonly Figure[] {
  const hosts = Array.from({ length: 9 }, (_, i) => ({
    name: `h${i}`,
    zone: `z${i % 3}`,
    cores: 32,
    memoryBytes: 256,
  }))
  const machines = Array.from({ length: 24 }, (_, i) => ({
    name: `m${String(i).padStart(2, '0')}`,
    zone: `z${i % 3}`,
    cores: [4, 8, 8, 12][i % 4] ?? 4,
    memoryBytes: 16,
    apart: i < 3 ? 'c' : null,
  }))
  const exact = measure(20, () => void hallRoom(hosts, [], machines, 1.5, true))
  return [
    {
      name: '24 machines packed exactly onto 9 hosts',
      value: exact.median,
      unit: 'ms',
      aim: { atMost: 50 },
    },
  ]
}

/** The fleet of the demo, with a quota that a hundred nodes fit into. */
async function roomyFleet(): Promise<FleetView> {
  const dir = mkdtempSync(join(tmpdir(), 'gyrarch-bench-'))
  const gyrarch = await Gyrarch.open({ dir, link: inThisThread(), clockRuns: false })
  const view = await gyrarch.fleet.view()
  await gyrarch.close()
  rmSync(dir, { recursive: true, force: true })
  return {
    ...view,
    sites: view.sites.map((site) =>
      site.name === 'palisade-east' ? { ...site, quotaCores: 2000 } : site,
    ),
  }
}

export async function draftFigures(): Promise<readonly Figure[]> {
  const view = await roomyFleet()
  const draft = raiseIntent.parse({
    name: 'hundred',
    site: 'palisade-east',
    release: '1.33.2',
    controlPlane: { kind: 'managed', tier: 'assured' },
    pools: [{ name: 'general', size: 'post-4-16', count: 100 }],
    ranges: { pods: '10.132.0.0/16', services: '10.133.0.0/20' },
  })
  const stops = findingsOf(clusterRaise, draft, view).filter((finding) => finding.level === 'stop')
  if (stops.length > 0)
    throw new Error(`the draft of the bench is stopped: ${stops[0]?.says ?? ''}`)
  const { median } = measure(200, () => {
    findingsOf(clusterRaise, draft, view)
    clusterRaise.plan(draft, view)
  })
  return [
    {
      name: 'check and plan of a draft of 100 nodes',
      value: median,
      unit: 'ms',
      aim: { atMost: 20 },
    },
  ]
}
