import { describe, expect, it } from 'vitest'
import { bareSite, type NetworkView, type SiteView } from '../fleet'
import { addressObjection, findAddresses, lowestFree, takenIn } from './static-addresses'

const network: NetworkView = {
  name: 'management',
  range: '10.20.0.0/28',
  role: 'management',
  gateway: '10.20.0.1',
  dhcp: '10.20.0.8-10.20.0.10',
}
const held = (address: string) => ({
  address,
  network: 'management',
  for: 'alder API',
  cluster: 'alder',
  how: 'static' as const,
})
const site = (addresses: readonly string[]): SiteView => ({
  ...bareSite('s', 'hall', 'd'),
  zones: ['a'],
  networks: [network],
  addresses: addresses.map(held),
})

describe('the addresses of an own control plane', () => {
  it('are one for the API, one for each machine and one spare: the lowest free ones', () => {
    expect(findAddresses(undefined, 3, network, site(['10.20.0.3']), [])).toMatchObject({
      wanted: 5,
      addresses: ['10.20.0.2', '10.20.0.4', '10.20.0.5', '10.20.0.6', '10.20.0.7'],
      wrong: [],
    })
  })

  it('need not be neighbours, and leave the DHCP range, what is held and what is reserved alone', () => {
    const reserved = [{ kind: 'address' as const, site: 's', what: '10.20.0.5' }]
    expect(
      findAddresses(undefined, 3, network, site(['10.20.0.3', '10.20.0.11']), reserved).proposed,
    ).toEqual(['10.20.0.2', '10.20.0.4', '10.20.0.6', '10.20.0.7', '10.20.0.12'])
  })

  it('are fewer than wanted where the network is nearly full', () => {
    const full = [
      '10.20.0.2',
      '10.20.0.3',
      '10.20.0.4',
      '10.20.0.5',
      '10.20.0.6',
      '10.20.0.7',
      '10.20.0.11',
    ]
    expect(findAddresses(undefined, 3, network, site(full), []).proposed).toEqual([
      '10.20.0.12',
      '10.20.0.13',
      '10.20.0.14',
    ])
  })

  it('when given are each checked, by position', () => {
    const given = [
      '10.20.0.2',
      '10.20.0.2',
      '10.20.0.9',
      '10.20.1.2',
      '10.20.0.1',
      '10.20.0.15',
      'first',
    ]
    const { wrong } = findAddresses(given, 5, network, site([]), [])
    expect(wrong.map(({ index, code, says }) => ({ index, code, says }))).toEqual([
      { index: 1, code: 'address.twice', says: '10.20.0.2 is given twice.' },
      {
        index: 2,
        code: 'address.taken',
        says: '10.20.0.9 lies in the DHCP range 10.20.0.8-10.20.0.10.',
      },
      {
        index: 3,
        code: 'address.outside',
        says: '10.20.1.2 lies outside management (10.20.0.0/28).',
      },
      { index: 4, code: 'address.taken', says: '10.20.0.1 is the gateway.' },
      { index: 5, code: 'address.taken', says: '10.20.0.15 is the broadcast address.' },
      { index: 6, code: 'address.unreadable', says: '“first” is no address.' },
    ])
  })
})

describe('IPv6 networks', () => {
  const six: NetworkView = { name: 'six', range: 'fd00::/120', role: 'private', gateway: 'fd00::1' }
  it('have no broadcast address', () => {
    const taken = takenIn(six, site([]), [])
    expect(addressObjection('fd00::ff', six, taken)).toBeNull()
    expect(lowestFree(six, taken, 2)).toEqual(['fd00::2', 'fd00::3'])
  })
})
