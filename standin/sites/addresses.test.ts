import { expect, it } from 'vitest'
import { demoScenario } from '../../server/connectors/standin/demo'
import { buildWorld } from '../build'
import { Simulator } from '../engine/simulator'
import { hold, leaseFrom, release } from './addresses'

it('leases the lowest free address, and one given back before those above it', () => {
  const scenario = demoScenario()
  const sim = new Simulator(buildWorld(scenario, 1), Date.parse(scenario.start))
  const site = sim.site('mossgate')
  const network = site?.networks.find((network) => network.dhcp !== undefined)
  if (!site || !network) throw new Error('the demo has no network with a DHCP range there')
  const lease = (): string => {
    const address = leaseFrom(site, network) ?? ''
    hold(sim, site, { address, network: network.name, for: 'm', cluster: null, how: 'dhcp' })
    return address
  }
  const [first, second, third] = [lease(), lease(), lease()]
  expect(new Set([first, second, third]).size).toBe(3)
  release(sim, site, (held) => held.address === first)
  release(sim, site, (held) => held.address === second)
  expect([lease(), lease()]).toEqual([first, second])
})
