/** Clusters on their way to another release when something goes wrong. */
import { expect, it } from 'vitest'
import { demoScenario } from '~/server/connectors/standin/demo'
import { clusterReport, buildWorld, faultObjection, type FaultKind, Simulator, startFault } from '.'

const start = Date.parse('2026-03-02T06:00:00Z')

function moving(kind: FaultKind, about: string) {
  const sim = new Simulator(buildWorld(demoScenario(), 1), start)
  sim.begin()
  expect(faultObjection(sim, kind, about)).toBeNull()
  startFault(sim, { id: 'f', kind, about, mode: 'permanent', left: 1, since: start })
  return {
    sim,
    ends: (key: string, verb: string, args: Readonly<Record<string, unknown>>) => {
      sim.command(key, verb, args)
      for (let hours = 0; hours < 60 && sim.lookup(key)?.endedAt === null; hours++)
        sim.run(sim.now + 60_000)
      return sim.lookup(key)?.failure
    },
  }
}

it.each([
  ['alder', '1.33.2', /2 of 3 members hold the quorum and answer with 1.33.1/],
  ['burdock', '1.25.16', /put back to 1.24.17 and answers again/],
])('says which member of %s does not come back, and goes on when tried again', (name, to, rest) => {
  const { sim, ends } = moving('member-silent', `cluster/${name}`)
  const before = sim.cluster(name)?.release
  const failure = ends('first', 'controlplane.move', { cluster: name, to })
  expect([failure?.class, failure?.reason]).toEqual(['permanent', 'member-not-back'])
  expect(failure?.chain.at(-1)?.says).toMatch(rest)
  expect(sim.cluster(name)?.release).toBe(before)
  expect(clusterReport(sim, name)?.apiAnswers).toBe(true)
  expect(ends('again', 'controlplane.move', { cluster: name, to })).toBeNull()
  expect(sim.cluster(name)?.release).toBe(to)
})

it('leaves an add-on that crashes in its new version at the one before', () => {
  const { sim, ends } = moving('add-on-crashes', 'addon/alder/trellis')
  const before = sim.cluster('alder')?.addOns?.['trellis']
  const move = { cluster: 'alder', addOn: 'trellis', to: '9.9.9' }
  expect(ends('first', 'addon.move', move)?.reason).toBe('add-on-crash')
  expect(sim.cluster('alder')?.addOns?.['trellis']).toBe(before)
  expect(ends('again', 'addon.move', move)).toBeNull()
  expect(sim.cluster('alder')?.addOns?.['trellis']).toBe('9.9.9')
})

it('has no such fault for what there is not', () => {
  const { sim } = moving('member-silent', 'cluster/alder')
  expect(faultObjection(sim, 'add-on-crashes', 'addon/alder/none')).toContain('no add-on none')
  expect(faultObjection(sim, 'member-silent', 'cluster/none')).toContain('no cluster none')
})
