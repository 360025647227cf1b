import { describe, expect, it } from 'vitest'
import { knownObjects } from '../fleet'
import { demoFleet } from '../testing/demo-fleet'
import { namespaceSpend, projectSpend, runningHours, siteSpend } from '.'

const view = demoFleet()

const from = Date.parse('2026-03-01T00:00:00Z')
const hours = 730
const until = from + hours * 3_600_000

describe('the coming month', () => {
  it('of a site without rest is what its things cost in 730 hours', () => {
    const lines = projectSpend(view, from, until).lines.filter(
      (line) => line.site === 'palisade-east',
    )
    const site = view.sites.find((site) => site.name === 'palisade-east')
    expect(site && lines.reduce((sum, line) => sum + line.units, 0)).toBeCloseTo(
      site ? siteSpend(site).perMonth : NaN,
      6,
    )
  })

  it('of a hall adds idle power and write-off of its hosts', () => {
    const lines = projectSpend(view, from, until).lines.filter((line) => line.site === 'mossgate')
    expect(lines.filter((line) => line.cluster === null).map((line) => line.what)).toEqual([
      'power at idle',
      'write-off',
    ])
    expect(lines.find((line) => line.what === 'write-off')?.units).toBeCloseTo((9 * 5200) / 48, 6)
  })

  it('counts hours of rest for machines, not for disks', () => {
    const dill = view.clusters.find((cluster) => cluster.name === 'dill')
    const lines = projectSpend(view, from, until).lines.filter((line) => line.cluster === 'dill')
    expect(dill && lines.find((line) => line.what === 'machines')?.hours).toBe(
      dill ? runningHours(dill, from, until) : NaN,
    )
    expect(lines.find((line) => line.what === 'disks')?.hours).toBe(hours)
    expect(lines.find((line) => line.what === 'machines')?.hours).toBeLessThan(hours / 2)
  })

  it('is shared by namespaces with nothing left over', () => {
    const rows = namespaceSpend('cedar', 100, knownObjects(view, 'cedar') ?? [])
    expect(rows.reduce((sum, row) => sum + row.share, 0)).toBeCloseTo(1, 9)
    expect(rows.at(-1)?.namespace).toBe(null)
    expect(rows.find((row) => row.namespace === 'gathering')?.units).toBeGreaterThan(
      rows.find((row) => row.namespace === 'irrigation')?.units ?? Infinity,
    )
  })
})
