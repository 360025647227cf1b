/** What a cloud does once support has ended, and what becomes of agents that are left behind. */
import { expect, it } from 'vitest'
import { demoScenario } from '~/server/connectors/standin/demo'
import { buildWorld, Simulator } from '.'

const at = (iso: string): number => Date.parse(iso)

function demo(from = '2026-06-28T20:00:00Z') {
  const sim = new Simulator(buildWorld(demoScenario(), 1), at(from))
  sim.begin()
  return {
    sim,
    until: (iso: string) => {
      while (sim.now < at(iso)) sim.run(at(iso))
    },
    ready: (name: string) =>
      sim
        .cluster(name)
        ?.nodes.map(({ conditions }) => conditions.find(({ type }) => type === 'Ready')?.status),
  }
}

it('moves managed control planes when the last supported day is over, and nobody else’s', () => {
  const { sim, until, ready } = demo()
  const alder = sim.cluster('alder')?.release
  until('2026-06-28T23:59:00Z')
  expect(sim.cluster('bramble')?.release).toBe('1.33.2')
  until('2026-06-29T00:01:00Z')
  expect(sim.cluster('bramble')?.release).toBe('1.34.1')
  expect(sim.site('tarn-north')?.controlPlanes.map(({ release }) => release)).toContain('1.34.1')
  expect(sim.cluster('alder')?.release).toBe(alder)
  expect(sim.cluster('bramble')?.events.at(-1)?.message).toContain('support of 1.33 has ended')
  // Pools are not moved: their agents are heard as long as they may lag so far.
  expect(new Set(ready('bramble'))).toEqual(new Set(['True']))
  expect(new Set(sim.cluster('bramble')?.nodes.map(({ release }) => release))).toEqual(
    new Set(['1.33.2']),
  )
})

it('goes minor by minor, each when its turn comes', () => {
  const { sim, until } = demo('2026-10-27T20:00:00Z')
  until('2026-10-27T20:01:00Z')
  expect(sim.cluster('bramble')?.release).toBe('1.34.1')
  until('2026-10-28T00:01:00Z')
  expect(sim.cluster('bramble')?.release).toBe('1.35.1')
})

it('does not listen to agents that lag too far; moved, they are heard again', () => {
  const { sim, until, ready } = demo()
  const bramble = sim.cluster('bramble')
  const [first] = bramble?.nodes ?? []
  if (!bramble || !first) throw new Error('the demo has no bramble')
  for (const node of bramble.nodes) node.release = node === first ? '1.30.13' : '1.33.2'
  until('2026-06-29T00:05:00Z')
  expect(ready('bramble')?.[0]).toBe('Unknown')
  expect(ready('bramble')?.slice(1)).not.toContain('Unknown')
  expect(bramble.events.map(({ reason }) => reason)).toContain('VersionSkew')
  sim.command('move', 'agent.move', { cluster: 'bramble', node: first.name, to: '1.34.1' })
  until('2026-06-29T00:15:00Z')
  expect(ready('bramble')?.[0]).toBe('True')
})
