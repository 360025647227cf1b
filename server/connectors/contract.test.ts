/** What every connector promises, whatever clock it lives by. */
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterEach, beforeEach, describe, expect, it } from 'vitest'
import {
  type Connector,
  type Ended,
  type Evidence,
  type Observe,
  portFailures,
  siteReport,
  type SliceName,
  verbNamed,
} from '~/core/contract'
import { WallClockConnector } from '../testing/wall-clock-connector'
import { demoScenario } from './standin/demo'
import { inThisThread } from './standin/engine-link'
import { Outside } from './standin/outside'

interface Carrier {
  readonly connector: Connector & Pick<Observe, 'site'>
  /** Lets time pass until what was asked has had its time. */
  pass(): Promise<void>
  close(): Promise<void>
}

const site = 'palisade-east'

async function standIns(): Promise<Carrier> {
  const dir = mkdtempSync(join(tmpdir(), 'gyrarch-contract-'))
  const connector = await Outside.open({
    dir,
    link: inThisThread(),
    scenario: { ...demoScenario(), loads: [] },
    nodes: 0,
    notBefore: 0,
  })
  return {
    connector,
    pass: () => connector.advance(300),
    close: async () => {
      await connector.close()
      rmSync(dir, { recursive: true, force: true })
    },
  }
}

async function wallClock(): Promise<Carrier> {
  return {
    connector: new WallClockConnector(site),
    pass: () => new Promise((resolve) => setTimeout(resolve, 30)),
    close: async () => undefined,
  }
}

const machine = (name: string) => ({
  site,
  name,
  zone: 'east-1',
  size: 'post-4-16',
  release: '1.33.2',
  rootDiskGb: 60,
  lifetime: 'on-demand',
  cluster: 'rowan',
})
const origin = { change: 1, attempt: 1 }

describe.each([
  ['the stand-ins', standIns],
  ['a connector on the wall clock', wallClock],
])('%s', (_name, open) => {
  let carrier: Carrier
  let ended: { key: string; outcome: Ended }[]
  let evidence: Evidence[]
  let changed: SliceName[]

  beforeEach(async () => {
    carrier = await open()
    ended = []
    evidence = []
    changed = []
    carrier.connector.connect({
      ended: (key, outcome) => void ended.push({ key, outcome }),
      evidence: (_key, seen) => void evidence.push(...seen),
      changed: (slices) => void changed.push(...slices),
    })
  })
  afterEach(() => carrier.close())

  const issue = (key: string, verb: string, args: Record<string, unknown>) =>
    carrier.connector.issue(key, verb, args, origin)

  it('carries out a command: its result has the shape of the contract, and what it touches is told', async () => {
    await issue('k-1', 'machine.create', machine('rowan-1'))
    await carrier.pass()
    expect(ended.map(({ key }) => key)).toEqual(['k-1'])
    const outcome = ended[0]?.outcome
    expect(outcome?.failure).toBeNull()
    const definition = verbNamed('machine.create')
    expect(definition?.result.safeParse(outcome?.result).success).toBe(true)
    for (const slice of definition?.touches(machine('rowan-1')) ?? [])
      expect(changed).toContain(slice)
    expect(evidence.length).toBeGreaterThan(0)
    const told = await carrier.connector.site(site)
    expect(told?.machines.map(({ name }) => name)).toContain('rowan-1')
  })

  it('tells of itself in the shape of the contract', async () => {
    const told = await carrier.connector.site(site)
    expect(siteReport.safeParse(told).error?.issues ?? []).toEqual([])
    expect(await carrier.connector.site('nowhere')).toBeNull()
  })

  it('answers a repeated key with the first result, told again, and does nothing twice', async () => {
    await issue('k-1', 'machine.create', machine('rowan-1'))
    await carrier.pass()
    await issue('k-1', 'machine.create', machine('rowan-2'))
    await carrier.pass()
    expect(ended.map(({ key }) => key)).toEqual(['k-1', 'k-1'])
    expect(ended[1]?.outcome).toEqual(ended[0]?.outcome)
    const told = await carrier.connector.site(site)
    expect(told?.machines.map(({ name }) => name)).not.toContain('rowan-2')
  })

  it('says how a key stands: unknown, under way, ended', async () => {
    const { connector } = carrier
    expect(await connector.lookup('k-1')).toEqual({ known: false })
    await issue('k-1', 'machine.create', machine('rowan-1'))
    expect(await connector.lookup('k-1')).toMatchObject({ known: true, ended: false })
    await carrier.pass()
    expect(await connector.lookup('k-1')).toMatchObject({ known: true, ended: true, failure: null })
  })

  it('times what it tells on its own clock', async () => {
    const before = carrier.connector.clock.now
    await issue('k-1', 'machine.create', machine('rowan-1'))
    await carrier.pass()
    const at = ended[0]?.outcome.at ?? 0
    expect(at).toBeGreaterThanOrEqual(before)
    expect(at).toBeLessThanOrEqual(carrier.connector.clock.now)
  })

  it('fails with a code of the contract, and a chain from the lowest object up', async () => {
    await issue('k-1', 'machine.create', machine('rowan-1'))
    await carrier.pass()
    await issue('k-2', 'machine.create', machine('rowan-1'))
    await carrier.pass()
    const failure = ended.at(-1)?.outcome.failure
    expect(failure).toMatchObject({ class: 'permanent', reason: 'name-taken' })
    expect(verbNamed('machine.create')?.failures).toContain(failure?.reason)
    expect(failure?.chain[0]?.about).toBe(`machine/${site}/rowan-1`)
  })

  it.each([
    ['machine.polish', {}, 'unknown-verb', 'machine.polish'],
    ['machine.create', { site, name: 7 }, 'bad-arguments', 'name'],
  ])('refuses %s with what is wrong, for good', async (verb, args, reason, named) => {
    await issue('k-1', verb, args)
    await carrier.pass()
    const failure = (await carrier.connector.lookup('k-1')) as Ended
    expect(failure.failure).toMatchObject({ class: 'permanent', reason })
    expect(failure.failure?.says).toContain(named)
    expect(portFailures.site).toContain(reason)
  })
})
