/** Many pods at once: made in batches, never more than a store takes. */
import { expect, it } from 'vitest'
import { demoScenario } from '~/server/connectors/standin/demo'
import { buildWorld, Simulator } from '.'

const start = Date.parse('2026-03-02T06:00:00Z')

function asked(replicas: number): Simulator {
  const sim = new Simulator(buildWorld({ ...demoScenario(), loads: [] }, 7, 0), start)
  sim.begin()
  sim.command('many', 'objects.apply', {
    cluster: 'alder',
    manager: 'test',
    objects: [
      { apiVersion: 'v1', kind: 'Namespace', metadata: { name: 'default' } },
      {
        apiVersion: 'apps/v1',
        kind: 'Deployment',
        metadata: { name: 'gauge-swarm', namespace: 'default' },
        spec: {
          replicas,
          selector: { matchLabels: { app: 'gauge-swarm' } },
          template: {
            metadata: { labels: { app: 'gauge-swarm' } },
            spec: {
              containers: [
                {
                  name: 'gauge',
                  image: 'registry.fernhollow.example/market/market-desk:2',
                  resources: { requests: { cpu: '1m', memory: '1Mi' } },
                },
              ],
            },
          },
        },
      },
    ],
  })
  return sim
}
const swarm = (sim: Simulator): number =>
  (sim.cluster('alder')?.running ?? []).filter(({ workload }) => workload === 'gauge-swarm').length

it('pods of a large workload come in batches of 500, a second apart', () => {
  const sim = asked(1700)
  const seen: number[] = []
  for (let tick = 0; tick < 400; tick++) {
    sim.run(sim.now + 500)
    sim.drain()
    if (seen.at(-1) !== swarm(sim)) seen.push(swarm(sim))
  }
  expect(seen.filter((count) => count > 0)).toEqual([500, 1000, 1500, 1700])
})

it('a batch that is waited for is let go once fewer are asked for', () => {
  const sim = asked(900)
  for (let tick = 0; tick < 400 && swarm(sim) === 0; tick++) {
    sim.run(sim.now + 500)
    sim.drain()
  }
  const workload = sim.cluster('alder')?.workloads.find(({ name }) => name === 'gauge-swarm')
  sim.command('few', 'objects.apply', {
    cluster: 'alder',
    manager: 'test',
    objects: [
      { ...workload?.manifest, spec: { ...Object(workload?.manifest?.['spec']), replicas: 3 } },
    ],
  })
  for (let tick = 0; tick < 240; tick++) {
    sim.run(sim.now + 1000)
    sim.drain()
  }
  expect(swarm(sim)).toBe(3)
})
