/** A second cluster like the first, and what decides between it and an upgrade in place. */
import { describe, expect, it } from 'vitest'
import { type Finding, longestPath, type Plan, type Step } from '../../changes'
import { command, quoted } from '../../contract'
import { clusterOf, withObjectList } from '../../fleet'
import { step } from '../../provisioning'
import { clusterHourly } from '../../spend'
import { demoFleet } from '../../testing/demo-fleet'
import { secondOf } from './second'
import { type JudgedWay, twoWays } from './two-ways'

const fleet = demoFleet()
const empty = (name: string) => withObjectList(fleet, name, [])

describe('a second cluster', () => {
  it('has the pools of the first with their sizes, ranges of its own, and the release that is wanted', () => {
    const { raise } = secondOf(empty('bramble'), 'bramble', '1.34.1') ?? {}
    const first = clusterOf(fleet, 'bramble')
    expect(raise).toMatchObject({
      name: 'bramble-next',
      site: 'palisade-east',
      release: '1.34.1',
      controlPlane: first?.controlPlane,
    })
    expect(raise?.pools?.map(({ name, size, count, range }) => [name, size, count, range])).toEqual(
      first?.pools.map(({ name, size, nodes, range }) => [
        name,
        size,
        range ? undefined : nodes.length,
        range ?? undefined,
      ]),
    )
    const domain = fleet.sites.find(({ name }) => name === 'palisade-east')?.domain
    const taken = fleet.ledger.flatMap((entry) => (entry.domain === domain ? entry.range : []))
    expect(taken).not.toContain(raise?.ranges.pods)
    expect(taken).not.toContain(raise?.ranges.services)
  })

  it('has as many members as the first, on machines of their size', () => {
    const { raise } = secondOf(empty('alder'), 'alder', '1.34.1') ?? {}
    const site = fleet.sites.find(({ name }) => name === 'mossgate')
    const member = site?.machines.find(({ name }) => name === 'alder-cp-1')
    expect(raise?.controlPlane).toEqual({
      kind: 'own',
      count: 3,
      alsoWorkers: false,
      size: member?.size,
    })
  })

  it('bears a name that nothing has', () => {
    const [alder] = fleet.clusters
    if (!alder) throw new Error('the demo has clusters')
    const taken = {
      ...empty('alder'),
      clusters: [...fleet.clusters, { ...alder, name: 'alder-next' }],
    }
    expect(secondOf(taken, 'alder', '1.34.1')?.raise.name).toBe('alder-next-2')
  })

  it('is told what has to move: workloads and volumes, but for the platform’s own', () => {
    const claim = (name: string, size: string) => ({
      apiVersion: 'v1',
      kind: 'PersistentVolumeClaim',
      metadata: { name, namespace: 'climate' },
      spec: { resources: { requests: { storage: size } } },
    })
    const deployment = (namespace: string) => ({
      apiVersion: 'apps/v1',
      kind: 'Deployment',
      metadata: { name: 'desk', namespace },
      spec: {},
    })
    const view = withObjectList(fleet, 'cedar', [
      claim('a', '2Gi'),
      claim('b', '1Gi'),
      deployment('climate'),
      deployment('platform'),
    ])
    const { moves } = secondOf(view, 'cedar', '1.34.1') ?? {}
    const rate = clusterOf(fleet, 'cedar')?.storage?.rebuild.bytesPerSecond ?? 0
    expect(moves).toMatchObject({
      workloads: 1,
      volumes: 2,
      volumeBytes: 3 * 1024 ** 3,
      copySeconds: rate > 0 ? Math.ceil((3 * 1024 ** 3) / rate) : null,
    })
  })

  it('is none of what nobody knows', () => {
    expect(secondOf(fleet, 'nobody', '1.34.1')).toBeNull()
    expect(secondOf(fleet, 'alder', '1.99')).toBeNull()
  })
})

describe('both ways', () => {
  const wait = (seconds: number): Step =>
    step({
      id: 'wait',
      after: [],
      group: 'x',
      says: 'wait',
      command: command('rollout.await', {
        cluster: 'dill',
        kind: 'Deployment',
        namespace: 'market',
        name: 'desk',
      }),
      seconds: { likely: seconds, worst: 2 * seconds },
    })
  const planOf = (seconds: number, meanwhile: number): Plan => ({
    steps: [wait(seconds)],
    creates: [],
    alters: [],
    removes: [],
    ...longestPath([wait(seconds)]),
    spend: { before: 1, after: 1, meanwhile },
    reserves: [],
  })
  const finding = (code: string, params: Finding['params'], level: Finding['level']): Finding => ({
    ...quoted(code, code),
    params,
    key: code,
    level,
    rule: code,
    because: [],
    remedies: [],
  })
  const site = fleet.sites.find(({ name }) => name === 'tarn-north')
  const second = secondOf(empty('dill'), 'dill', '1.34.1')
  const of = (upgrade: JudgedWay, raise: JudgedWay, soakSeconds: number) => {
    if (!site || !second) throw new Error('the demo has dill')
    return twoWays({ upgrade, raise, second, site, soakSeconds })
  }

  it('take what their plans take, and cost what stands meanwhile', () => {
    const upgrade = {
      findings: [
        finding('pool.moves', { pods: 4 }, 'note'),
        finding('pool.moves', { pods: 3 }, 'note'),
        finding('member.single', { moves: 2 }, 'caution'),
      ],
      plan: planOf(600, -0.25),
    }
    const { inPlace, beside } = of(upgrade, { findings: [], plan: planOf(900, 0) }, 7200)
    expect(inPlace).toEqual({
      stops: [],
      seconds: { likely: 600, worst: 1200 },
      spend: -0.25,
      pods: 7,
      silentSeconds: 240,
    })
    const cluster = clusterOf(fleet, 'dill')
    const hourly = site && cluster ? clusterHourly(site, cluster) : 0
    expect(beside).toMatchObject({ stops: [], seconds: { likely: 900, worst: 1800 } })
    expect(beside.spend).toBeCloseTo(2 * hourly, 9)
  })

  it('say what stands against them, and nothing of what is not known before that is mended', () => {
    const stopped = { findings: [finding('no-room', {}, 'stop')], plan: null }
    const { inPlace, beside } = of(stopped, stopped, 0)
    expect([inPlace.stops, inPlace.seconds, inPlace.spend]).toEqual([['no-room'], null, null])
    expect([beside.stops, beside.seconds, beside.spend]).toEqual([['no-room'], null, null])
  })
})
