import { describe, expect, it } from 'vitest'
import { demoFleet } from '../../testing/demo-fleet'
import type { FleetView } from '../../fleet'
import { wireKeepSource } from './keep-source'
import { wireFirewall, wireTranslation } from './rules'

const seen = demoFleet()
/** With the traffic and the objects of every cluster looked at, nothing in either. */
const fleet: FleetView = {
  ...seen,
  traffic: Object.fromEntries(
    seen.clusters.map(({ name }) => [
      name,
      { state: 'known', version: 1, at: seen.now, value: [] },
    ]),
  ),
  objects: {
    ...Object.fromEntries(
      seen.clusters.map(({ name }) => [
        name,
        { state: 'known', version: 1, at: seen.now, value: [] },
      ]),
    ),
    ...seen.objects,
  },
}
const cautions = (findings: readonly { level: string; code: string; says: string }[]) =>
  findings
    .filter(({ level, code }) => level === 'caution' && /everything|own/.test(code))
    .map(({ says }) => says)

const keep = (range: string, view: FleetView = fleet) =>
  cautions(wireKeepSource.check({ cluster: 'cedar', add: [range], remove: [] }, view))

describe('a kept range', () => {
  it('that is everything is told of, with the calls that it touches', () => {
    expect(keep('0.0.0.0/0')).toEqual([
      expect.stringContaining('0.0.0.0/0 is everything: pods of cedar would show'),
    ])
    const calling: FleetView = {
      ...fleet,
      traffic: {
        ...fleet.traffic,
        cedar: {
          state: 'known',
          version: 1,
          at: fleet.now,
          value: [
            {
              from: 'climate/climate-loop',
              to: '192.0.2.9',
              port: 443,
              method: '',
              path: '',
              medianMs: 1,
              spans: [],
            },
          ],
        },
      },
    }
    expect(keep('0.0.0.0/0', calling)[0]).toContain(
      'It touches 1 call: climate/climate-loop to 192.0.2.9:443.',
    )
  })
  it('of a partner is not', () => expect(keep('10.88.4.0/24')).toEqual([]))
})

describe('a firewall rule', () => {
  const put = (rule: object) =>
    cautions(
      wireFirewall.check(
        {
          site: 'mossgate',
          put: [
            {
              name: 'open-all',
              priority: 5,
              direction: 'in',
              action: 'allow',
              protocol: 'any',
              ...rule,
            },
          ],
          remove: [],
          enable: [],
          disable: [],
        },
        fleet,
      ),
    )
  it('that opens everything is told of, with what would be reached', () => {
    const nodes = fleet.clusters
      .filter(({ site }) => site === 'mossgate')
      .reduce((sum, { pools }) => sum + pools.reduce((all, pool) => all + pool.nodes.length, 0), 0)
    expect(put({})).toEqual([
      `open-all lets anybody in to every port of mossgate: mossgate management, mossgate nodes, mossgate frontage and mossgate storage, with ${nodes} nodes.`,
    ])
    expect(put({ from: ['0.0.0.0/0'], to: ['0.0.0.0/0'] })).toHaveLength(1)
  })
  it.each([
    { ports: ['443'] },
    { to: ['10.20.40.0/25'] },
    { from: ['10.52.0.0/21'] },
    { action: 'deny' },
    { enabled: false },
  ])('that opens less is not: %j', (rule) => expect(put(rule)).toEqual([]))
})

describe('a translation', () => {
  const put = (rule: object) =>
    cautions(
      wireTranslation.check(
        {
          site: 'mossgate',
          put: [{ name: 'hide', priority: 5, kind: 'translate', becomes: '172.31.250.2', ...rule }],
          remove: [],
        },
        fleet,
      ),
    )
  it('that catches what its own nodes send to other sites is told of', () => {
    expect(put({})).toEqual([
      'hide catches what mossgate management, mossgate nodes and mossgate storage send to other sites of its own routing domain: it would arrive there as 172.31.250.2.',
    ])
    expect(put({ from: ['10.20.16.0/22'] })[0]).toContain('catches what mossgate nodes sends')
  })
  it('after the one that keeps them is not', () => {
    expect(put({ priority: 200 })).toEqual([])
    expect(put({ to: ['192.0.2.0/24'] })).toEqual([])
  })
})
