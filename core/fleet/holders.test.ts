import { describe, expect, it } from 'vitest'
import { demoFleet } from '../testing/demo-fleet'
import { whoHolds } from '.'

const view = demoFleet()

describe('who holds', () => {
  it.each([
    ['10.20.0.21', 'held for cedar-cp-1 (static) in mossgate management', 'cluster/cedar'],
    ['10.20.40.41', 'virtual address pool of mossgate frontage', 'site/mossgate'],
    ['10.20.0.1', 'gateway of mossgate management', 'site/mossgate'],
    ['10.20.0.210', 'DHCP range of mossgate management', 'site/mossgate'],
    ['10.120.3.9', 'pods of cedar, node block 4', 'cluster/cedar'],
    ['10.121.0.10', 'services of cedar', 'cluster/cedar'],
    ['10.88.4.20', 'weather bureau', null],
  ])('%s: %s', (address, says, about) =>
    expect(whoHolds(view, address).holders[0]).toMatchObject({ says, about }),
  )

  it('tells the closest first and what lies around it after', () => {
    expect(whoHolds(view, ' 10.20.0.21 ').holders.map((holder) => holder.range)).toEqual([
      '10.20.0.21',
      '10.20.0.0/24',
    ])
  })

  it('says so of an address nobody holds, and of text that is none', () => {
    expect(whoHolds(view, '192.0.2.1')).toMatchObject({
      holders: [],
      says: expect.stringContaining('Nobody holds 192.0.2.1'),
    })
    expect(whoHolds(view, '10.20.0')).toMatchObject({ address: null, holders: [] })
  })
})
