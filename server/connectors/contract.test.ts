/** What every connector promises, whatever clock it lives by. */
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import {
  clusterReport,
  type Connector,
  type Ended,
  type Evidence,
  type Observe,
  portFailures,
  type PortName,
  siteReport,
  type SliceName,
  verbNamed,
} from '~/core/contract'
import { rowanMachine } from '../testing/machine'
import { type Opened, openForTest } from '../testing/open'
import { WallClockConnector } from '../testing/wall-clock-connector'
import { demoScenario } from './standin/demo'
import { inThisThread } from './standin/engine-link'
import { Outside } from './standin/outside'

interface Deed {
  readonly verb: string
  readonly args: Readonly<Record<string, unknown>>
}

interface Carrier {
  readonly connector: Connector
  readonly port: PortName
  /** Something that is done, once for each name; and whether it is there. */
  making(name: string): Deed
  holds(name: string): Promise<boolean>
  /** What it tells of itself, and of what nobody knows; and what is wrong with the shape of a report. */
  tells(): Promise<unknown>
  tellsNothing(): Promise<unknown>
  shapeOf(report: unknown): readonly unknown[]
  /** What fails once `rowan-1` is there, as whom it blames, and why. */
  readonly failing: Deed & { readonly reason: string; readonly about: string }
  /** Lets time pass until what was asked has had its time. */
  pass(): Promise<void>
  close(): Promise<void>
}

const site = 'palisade-east'

/** Machines of a site: what those carriers do that have sites. */
const ofSite = (connector: Connector & Pick<Observe, 'site'>) => {
  const making = (name: string): Deed => ({
    verb: 'machine.create',
    args: rowanMachine(name),
  })
  return {
    connector,
    port: 'site' as const,
    making,
    holds: async (name: string) =>
      (await connector.site(site))?.machines.some((machine) => machine.name === name) === true,
    tells: () => connector.site(site),
    tellsNothing: () => connector.site('nowhere'),
    shapeOf: (report: unknown) => siteReport.safeParse(report).error?.issues ?? [],
    failing: { ...making('rowan-1'), reason: 'name-taken', about: `machine/${site}/rowan-1` },
  }
}

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
    ...ofSite(connector),
    pass: () => connector.advance(300),
    close: async () => {
      await connector.close()
      rmSync(dir, { recursive: true, force: true })
    },
  }
}

async function wallClock(): Promise<Carrier> {
  return {
    ...ofSite(new WallClockConnector(site)),
    pass: () => new Promise((resolve) => setTimeout(resolve, 30)),
    close: async () => undefined,
  }
}

const cluster = 'far-cedar'

/** Enrols a stand-in as a cluster of somebody else’s: its own API is all that is seen of it. */
async function enrolled(): Promise<Opened> {
  const opened = await openForTest()
  const { changes, clusterServers } = opened.gyrarch
  await clusterServers.listen()
  const accessFile = (await opened.gyrarch.access('cedar')).yaml
  const { id, findings } = await changes.draft('cluster.enrol', {
    name: cluster,
    reach: { kind: 'inbound', accessFile },
    labels: {},
  })
  await changes.run(id, { accept: findings.map(({ key }) => key), confirm: [] })
  await vi.waitFor(async () => expect((await changes.get(id)).state).toBe('done'), 20_000)
  return opened
}

/** Objects of a cluster, through the open API. */
async function openApi(): Promise<Carrier> {
  const opened = await enrolled()
  const { connector } = opened.gyrarch.reach
  const applying = (apiVersion: string, kind: string, name: string): Deed => ({
    verb: 'objects.apply',
    args: {
      cluster,
      objects: [{ apiVersion, kind, metadata: { name, namespace: 'default' }, data: { a: 'b' } }],
    },
  })
  const configMaps = async (name: string): Promise<readonly string[]> =>
    ((await connector.objects(name, { kind: 'ConfigMap' })) ?? []).map((object) =>
      String((object['metadata'] as { readonly name: string }).name),
    )
  return {
    connector,
    port: 'cluster',
    making: (name) => applying('v1', 'ConfigMap', name),
    holds: async (name) => (await configMaps(cluster)).includes(name),
    tells: () => connector.cluster(cluster),
    tellsNothing: () => connector.cluster('nowhere'),
    shapeOf: (report) => clusterReport.safeParse(report).error?.issues ?? [],
    failing: {
      ...applying('lamps.example/v1', 'Lamp', 'rowan-1'),
      reason: 'api-refuses',
      about: `lamp/${cluster}/default/rowan-1`,
    },
    pass: async () => {
      const running = (): number => connector.underWay
      await vi.waitFor(() => expect(running()).toBe(0), { timeout: 10_000, interval: 20 })
    },
    close: () => opened.close(),
  }
}

const origin = { change: 1, attempt: 1 }

describe.each([
  ['the stand-ins', standIns],
  ['a connector on the wall clock', wallClock],
  ['the open API of a cluster', openApi],
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

  const issue = (key: string, { verb, args }: Deed) =>
    carrier.connector.issue(key, verb, args, origin)

  it('carries out a command: its result has the shape of the contract, and what it touches is told', async () => {
    await issue('k-1', carrier.making('rowan-1'))
    await carrier.pass()
    expect(ended.map(({ key }) => key)).toEqual(['k-1'])
    const outcome = ended[0]?.outcome
    expect(outcome?.failure).toBeNull()
    const { verb, args } = carrier.making('rowan-1')
    const definition = verbNamed(verb)
    expect(definition?.result.safeParse(outcome?.result).success).toBe(true)
    for (const slice of definition?.touches(args) ?? []) expect(changed).toContain(slice)
    expect(evidence.length).toBeGreaterThan(0)
    expect(await carrier.holds('rowan-1')).toBe(true)
  })

  it('tells of itself in the shape of the contract', async () => {
    expect(carrier.shapeOf(await carrier.tells())).toEqual([])
    expect(await carrier.tellsNothing()).toBeNull()
  })

  it('answers a repeated key with the first result, told again, and does nothing twice', async () => {
    await issue('k-1', carrier.making('rowan-1'))
    await carrier.pass()
    await issue('k-1', carrier.making('rowan-2'))
    await carrier.pass()
    expect(ended.map(({ key }) => key)).toEqual(['k-1', 'k-1'])
    expect(ended[1]?.outcome).toEqual(ended[0]?.outcome)
    expect([await carrier.holds('rowan-1'), await carrier.holds('rowan-2')]).toEqual([true, false])
  })

  it('says how a key stands: unknown, under way, ended', async () => {
    const { connector } = carrier
    expect(await connector.lookup('k-1')).toEqual({ known: false })
    await issue('k-1', carrier.making('rowan-1'))
    expect(await connector.lookup('k-1')).toMatchObject({ known: true, ended: false })
    await carrier.pass()
    expect(await connector.lookup('k-1')).toMatchObject({ known: true, ended: true, failure: null })
  })

  it('times what it tells on its own clock', async () => {
    const before = carrier.connector.clock.now
    await issue('k-1', carrier.making('rowan-1'))
    await carrier.pass()
    const at = ended[0]?.outcome.at ?? 0
    expect(at).toBeGreaterThanOrEqual(before)
    expect(at).toBeLessThanOrEqual(carrier.connector.clock.now)
  })

  it('fails with a code of the contract, and a chain from the lowest object up', async () => {
    await issue('k-1', carrier.making('rowan-1'))
    await carrier.pass()
    const { reason, about, ...deed } = carrier.failing
    await issue('k-2', deed)
    await carrier.pass()
    const failure = ended.at(-1)?.outcome.failure
    expect(failure).toMatchObject({ class: 'permanent', reason })
    const possible = [...(verbNamed(deed.verb)?.failures ?? []), ...portFailures[carrier.port]]
    expect(possible).toContain(failure?.reason)
    expect(failure?.chain[0]?.about).toBe(about)
  })

  it('refuses what nobody knows, and arguments of a wrong shape, with what is wrong, for good', async () => {
    const { verb, args } = carrier.making('rowan-1')
    const [field = ''] = Object.keys(args).filter((name) => !['site', 'cluster'].includes(name))
    const refused = [
      { verb: 'machine.polish', args: {}, reason: 'unknown-verb', named: 'machine.polish' },
      { verb, args: { ...args, [field]: 7 }, reason: 'bad-arguments', named: field },
    ]
    for (const { reason, named, ...deed } of refused) {
      await issue(reason, deed)
      await carrier.pass()
      const { failure } = (await carrier.connector.lookup(reason)) as Ended
      expect(failure).toMatchObject({ class: 'permanent', reason })
      expect(failure?.says).toContain(named)
      expect(portFailures[carrier.port]).toContain(reason)
    }
  })
})
