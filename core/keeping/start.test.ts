import { describe, expect, it } from 'vitest'
import { findingsOf, type Finding } from '../changes'
import { clusterOf, type FleetView, siteOf, type SiteView } from '../fleet'
import { demoFleet } from '../testing/demo-fleet'
import { clusterStop } from './rest'
import { clusterStart } from './start'

const fleet = demoFleet()
/** dill stopped, its site otherwise as asked for. */
function stopped(edit: (site: SiteView) => SiteView = (site) => site): FleetView {
  const dill = clusterOf(fleet, 'dill')
  const site = siteOf(fleet, dill?.site ?? '')
  if (!dill || !site) throw new Error('no dill')
  const given = edit({
    ...site,
    machines: site.machines.filter((machine) => machine.cluster !== 'dill'),
  })
  return {
    ...fleet,
    sites: fleet.sites.map((each) => (each === site ? given : each)),
    clusters: fleet.clusters.map((each) =>
      each === dill
        ? {
            ...dill,
            resting: true,
            restingSince: fleet.now,
            apiAnswers: false,
            restingMachines: site.machines.filter((machine) => machine.cluster === 'dill'),
            restingNodes: dill.pools.flatMap((pool) => pool.nodes),
            pools: dill.pools.map((pool) => ({ ...pool, nodes: [] })),
          }
        : each,
    ),
  }
}
const draft = (fields: object = {}) => clusterStart.intent.parse({ cluster: 'dill', ...fields })
const stops = (view: FleetView, fields: object = {}): readonly Finding[] =>
  findingsOf(clusterStart, draft(fields), view).filter(({ level }) => level === 'stop')
const soldOut =
  (...zones: readonly string[]) =>
  (site: SiteView): SiteView => ({
    ...site,
    sizes: site.sizes.map((size) =>
      size.name === 'reed-4-16' ? { ...size, soldOut: zones } : size,
    ),
  })

describe('a stopped cluster', () => {
  const zone = clusterOf(fleet, 'dill')?.pools[0]?.nodes[0]?.zone ?? ''
  it('starts as it was, its machines reserved', () => {
    const view = stopped()
    expect(stops(view)).toEqual([])
    const plan = clusterStart.plan(draft(), view)
    const machines = siteOf(fleet, 'tarn-north')?.machines.filter(
      (machine) => machine.cluster === 'dill',
    )
    expect(plan.reserves).toEqual(
      machines?.map(({ name: what, zone, cores, memoryBytes }) => ({
        kind: 'machine',
        site: 'tarn-north',
        zone,
        what,
        cores,
        memoryBytes,
      })),
    )
    expect(plan.steps[0]?.command.args).toEqual({ cluster: 'dill' })
  })
  it('whose size its zone has not left comes back in other zones, in another size, or in part', () => {
    const view = stopped(soldOut(zone))
    expect(
      stops(view).map(({ says, remedies }) => [says, remedies.map(({ says }) => says)]),
    ).toEqual(
      ['base', 'general'].map((pool) => [
        `No reed-4-16 is left in ${zone} for dill-${pool}-1.`,
        [`Take ${pool} in north-2`, `Take reed-2-8 for ${pool}`, `Start it without ${pool} first`],
      ]),
    )
  })
  it('that nothing has in stock is offered no other zone', () => {
    const site = siteOf(fleet, 'tarn-north')
    const [told] = stops(stopped(soldOut(...(site?.zones ?? []))))
    expect(told?.remedies.map(({ says }) => says)).toEqual([
      'Take reed-2-8 for base',
      'Start it without base first',
    ])
  })
  it('beyond the quota is offered a part or a smaller size', () => {
    const view = stopped((site) => ({ ...site, quotaCores: 8 }))
    const [told] = stops(view)
    expect(told?.rule).toBe('quota.cores')
    expect(told?.remedies.map(({ says }) => says)).toEqual([
      'Start it without general first',
      'Take reed-2-8 for general',
    ])
  })
  it('without a credential that holds is not started', () => {
    const view = {
      ...stopped(),
      credentials: fleet.credentials.map((credential) => ({
        ...credential,
        until: '2026-01-01T00:00:00Z',
      })),
    }
    expect(stops(view).map(({ rule }) => rule)).toEqual(['credentials.valid'])
  })
  it('comes back as asked for: in size, zones and part', () => {
    const view = stopped()
    const after = clusterOf(
      clusterStart.after?.(draft({ otherwise: [{ pool: 'general', size: 'reed-2-8' }] }), view) ??
        view,
      'dill',
    )
    expect(after?.pools.map(({ size, nodes }) => [size, nodes.length, nodes[0]?.cpuMilli])).toEqual(
      [
        ['reed-4-16', 1, 4000],
        ['reed-2-8', 2, 2000],
      ],
    )
    const plan = clusterStart.plan(
      draft({ otherwise: [{ pool: 'general', size: 'reed-2-8' }] }),
      view,
    )
    expect(plan.steps.map(({ id }) => id)).toEqual(['wake', 'enter:general'])
    expect(clusterStart.plan(draft({ leaveOut: ['general'] }), view).creates).toEqual([
      'machine/tarn-north/dill-base-1',
    ])
    expect(
      clusterStart
        .check(draft({ otherwise: [{ pool: 'general', size: 'reed-2-8' }] }), view)
        .map(({ says }) => says),
    ).toContain(
      'dill-general-1 and dill-general-2 come back smaller, as reed-2-8: a pod that found its place before may wait.',
    )
  })
  it.each<[object, string]>([
    [{ leaveOut: ['control-plane'] }, 'The control plane cannot stay out'],
    [{ leaveOut: ['batch'] }, 'dill has no pool batch.'],
    [{ otherwise: [{ pool: 'batch', size: 'reed-2-8' }] }, 'dill has no pool batch.'],
  ])('refuses %j', (fields, says) =>
    expect(stops(stopped(), fields).map((told) => told.says)).toEqual([
      expect.stringContaining(says),
    ]),
  )
})

describe('stopping', () => {
  const told = (edit: (site: SiteView) => SiteView) =>
    clusterStop
      .check(
        { cluster: 'dill' },
        {
          ...fleet,
          sites: fleet.sites.map((site) => (site.name === 'tarn-north' ? edit(site) : site)),
        },
      )
      .filter(({ rule }) => rule.includes('again'))
      .map(({ level, says }) => [level, says])
  it('says that each machine could be had again, or which could not', () => {
    expect(told((site) => site)).toEqual([
      [
        'note',
        'tarn-north could give each of its 3 machines again now; nobody keeps them free meanwhile.',
      ],
    ])
    const zone = clusterOf(fleet, 'dill')?.pools[0]?.nodes[0]?.zone ?? ''
    expect(told(soldOut(zone))).toEqual(
      ['base', 'general'].map((pool) => [
        'caution',
        `dill could not be started again as things are: No reed-4-16 is left in ${zone} for dill-${pool}-1.`,
      ]),
    )
  })
})
