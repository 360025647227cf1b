/** Work instead of time: what an event costs must not grow with what is around it. */
import { expect, it } from 'vitest'
import { demoScenario } from '../../server/connectors/standin/demo'
import { buildWorld } from '../build'
import { meterWork } from '../sites/meter'
import { Simulator } from './simulator'

const scenario = demoScenario()
const start = Date.parse(scenario.start)

/** A cloud with as many machines, all made; then machines live through boots and stops for so many events. */
function recordsMetered(machines: number, events: number): { making: number; living: number } {
  const cloud = scenario.sites.find((site) => site.name === 'palisade-east')
  if (!cloud) throw new Error('the demo has no palisade-east')
  const sites = [{ ...cloud, quotaCores: null }]
  const sim = new Simulator(
    buildWorld({ ...scenario, sites, clusters: [], workloads: [], faults: [] }, 1),
    start,
  )
  const begun = meterWork.records
  for (let i = 0; i < machines; i++)
    sim.command(`make-${i}`, 'machine.create', {
      site: cloud.name,
      name: `m-${i}`,
      zone: 'east-1',
      size: 'post-4-16',
      release: '1.33.2',
      rootDiskGb: 30,
      lifetime: 'on-demand',
      cluster: 'bench',
      apart: null,
      network: null,
      address: null,
    })
  let ended = 0
  while (ended < machines) {
    sim.run(start + 1e12)
    ended += sim.drain().ended.length
  }
  const made = meterWork.records
  for (let i = 0; i < machines; i++)
    sim.command(`life-${i}`, 'machine.boot', { site: cloud.name, name: `m-${i}` })
  let life = 0
  const until = sim.processed + events
  while (sim.processed < until) {
    sim.run(start + 1e12)
    for (const op of sim.drain().ended) {
      const verb = op.verb === 'machine.boot' ? 'machine.stop' : 'machine.boot'
      sim.command(`again-${life++}`, verb, { site: cloud.name, name: op.args['name'] })
    }
  }
  return { making: made - begun, living: meterWork.records - made }
}

it('an event that makes nothing billable meters nothing, whatever stands around it', () => {
  for (const machines of [20, 200]) expect(recordsMetered(machines, 4000).living).toBe(0)
})

it('what is made is metered once: a machine and its disk', () => {
  const few = recordsMetered(20, 0).making
  const many = recordsMetered(220, 0).making
  expect(many - few).toBe(2 * 200)
})
