/**
 * Whatever a command asks, of things that are there and of things that are not: it ends as its definition says, tells
 * what its schema promises, and leaves a world that holds together.
 */
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { z } from 'zod'
import { portFailures, verbNamed, verbNames } from '../core/contract'
import { demoScenario } from '../server/connectors/standin/demo'
import { buildWorld, Simulator } from '.'

const scenario = demoScenario()
const start = Date.parse(scenario.start)

const outside = verbNames.filter((name) => {
  const port = verbNamed(name)?.port
  return port === 'site' || port === 'cluster'
})

interface Schema {
  readonly type?: string
  readonly properties?: Readonly<Record<string, Schema>>
  readonly required?: readonly string[]
  readonly items?: Schema
  readonly enum?: readonly unknown[]
  readonly anyOf?: readonly Schema[]
  readonly const?: unknown
  readonly minimum?: number
  readonly additionalProperties?: Schema | boolean
}

const schemas = new Map(
  outside.map((name) => {
    const args = verbNamed(name)?.args ?? z.object({})
    return [name, z.toJSONSchema(args, { io: 'input', unrepresentable: 'any' }) as Schema] as const
  }),
)

/** A stream of whole numbers below a bound, the same for the same seed. */
function drawsOf(seed: number): (below: number) => number {
  let state = (seed ^ 0x9e3779b9) >>> 0
  return (below) => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0
    return Math.floor((state / 0x1_0000_0000) * below)
  }
}

type Names = Readonly<Record<string, readonly string[]>>

/** Names of what is there, by what fields that take them are called. */
function namesIn(sim: Simulator): Names {
  const sites = Object.values(sim.world.sites)
  const clusters = Object.values(sim.world.clusters)
  const nodes = clusters.flatMap((cluster) => cluster.nodes.map(({ name }) => name))
  const machines = sites.flatMap((site) => site.machines.map(({ name }) => name))
  const networks = sites.flatMap((site) => site.networks.map(({ name }) => name))
  const addresses = sites.flatMap((site) => site.addresses.map(({ address }) => address))
  const volumes = clusters.flatMap(
    (cluster) => cluster.storage?.volumes.map(({ name }) => name) ?? [],
  )
  return {
    site: sites.map(({ name }) => name),
    cluster: clusters.map(({ name }) => name),
    node: nodes,
    nodes,
    machine: machines,
    name: [...machines, 'rowan-1', 'rowan-2'],
    network: networks,
    address: addresses,
    addresses,
    volume: volumes,
    zone: sites.flatMap(({ zones }) => zones),
    size: sites.flatMap((site) => site.sizes.map(({ name }) => name)),
    release: ['1.31.9', '1.32.4', '1.33.2', '1.34.1'],
    namespace: ['default', 'gathering', 'market', 'platform'],
  }
}

/** A value as a schema has it, its names mostly of what is there. */
function valueOf(
  schema: Schema,
  field: string,
  names: Names,
  draw: (below: number) => number,
): unknown {
  if (schema.const !== undefined) return schema.const
  if (schema.enum) return schema.enum[draw(schema.enum.length)]
  if (schema.anyOf)
    return valueOf(schema.anyOf[draw(schema.anyOf.length)] ?? {}, field, names, draw)
  switch (schema.type) {
    case 'string': {
      const existing = names[field] ?? []
      if (existing.length > 0 && draw(10) < 9) return existing[draw(existing.length)]
      return ['nobody', 'rowan', '10.20.0.61', '10.20.0.0/24', '', '2026-03-02T06:00:00Z'][draw(6)]
    }
    case 'integer':
    case 'number':
      return [0, 1, 2, 30, 100][draw(5)]
    case 'boolean':
      return draw(2) === 0
    case 'array':
      return Array.from({ length: draw(3) }, () => valueOf(schema.items ?? {}, field, names, draw))
    case 'null':
      return null
    case 'object': {
      const { properties = {}, required = [] } = schema
      return Object.fromEntries(
        Object.entries(properties).flatMap(([key, inner]) =>
          required.includes(key) || draw(2) === 0 ? [[key, valueOf(inner, key, names, draw)]] : [],
        ),
      )
    }
    default:
      return undefined
  }
}

interface Asked {
  readonly key: string
  readonly verb: string
  readonly args: Readonly<Record<string, unknown>>
}

/** So long a command is given, in ms of the clock: what waits for something waits longer. */
const patienceMs = 2 * 86_400_000

/** Asks for so many things one after the other, each until it has ended or waits for something else. */
function ask(sim: Simulator, seed: number, count: number): readonly Asked[] {
  const draw = drawsOf(seed)
  return Array.from({ length: count }, (_, nth) => {
    const verb = outside[draw(outside.length)] ?? 'machine.stop'
    const args = valueOf(schemas.get(verb) ?? {}, '', namesIn(sim), draw) as Asked['args']
    const key = `${seed}/${nth}`
    sim.command(key, verb, args)
    const until = sim.now + patienceMs
    for (let i = 0; i < 300 && sim.lookup(key)?.endedAt === null && sim.now < until; i++) {
      sim.run(until, 50)
      sim.drain()
    }
    return { key, verb, args }
  })
}

const fresh = (seed: number): Simulator => new Simulator(buildWorld(scenario, seed), start)

const repeated = (names: readonly string[]): readonly string[] =>
  names.filter((name, i) => names.indexOf(name) !== i)

/** What does not hold together in a world. */
function flaws({ world }: Simulator): readonly string[] {
  const ofSites = Object.values(world.sites).flatMap((site) => [
    ...repeated(site.addresses.map(({ address }) => `${site.name} holds ${address} twice`)),
    ...repeated(site.machines.map(({ name }) => `${site.name} has ${name} twice`)),
    ...repeated(site.disks.map(({ name }) => `${site.name} has disk ${name} twice`)),
    ...site.machines
      .filter(({ host }) => host !== null && !site.hosts.some(({ name }) => name === host))
      .map(({ name, host }) => `${name} is on ${host ?? ''}, which is not there`),
  ])
  const ofClusters = Object.values(world.clusters).flatMap((cluster) => {
    const nodes = new Set(cluster.nodes.map(({ name }) => name))
    return [
      ...repeated(cluster.nodes.map(({ name }) => `${cluster.name} has node ${name} twice`)),
      ...repeated(
        cluster.running.flatMap(({ ip }) =>
          ip === null ? [] : [`${cluster.name} gave ${ip} twice`],
        ),
      ),
      ...cluster.running
        .filter(({ node }) => node !== null && !nodes.has(node))
        .map(({ name, node }) => `${name} of ${cluster.name} is on ${node ?? ''}, which is gone`),
    ]
  })
  return [...ofSites, ...ofClusters]
}

const runs = { numRuns: 25, seed: 20260302 }

describe('any command', () => {
  it('ends as its definition says: with what its schema promises, or by a failure that it names', () => {
    const met = new Set<string>()
    fc.assert(
      fc.property(fc.nat(), (seed) => {
        const sim = fresh(seed)
        for (const { key, verb, args } of ask(sim, seed, 40)) {
          const definition = verbNamed(verb)
          const op = sim.lookup(key)
          if (!definition || !op || op.endedAt === null) continue
          const told = `${verb} ${JSON.stringify(args)}`
          met.add(verb)
          if (op.failure) {
            const reasons = [...definition.failures, ...portFailures[definition.port]]
            expect(reasons, told).toContain(op.failure.reason)
            expect(op.failure.says, told).not.toBe('')
          } else {
            const read = definition.result.safeParse(op.result)
            expect(read.success ? [] : read.error.issues, told).toEqual([])
          }
        }
      }),
      runs,
    )
    // Nearly every verb was tried; a generator that tries none would find nothing.
    expect(met.size).toBeGreaterThan(0.9 * outside.length)
  })

  it('leaves a world that holds together', () => {
    fc.assert(
      fc.property(fc.nat(), (seed) => {
        const sim = fresh(seed)
        ask(sim, seed, 40)
        expect(flaws(sim)).toEqual([])
      }),
      runs,
    )
  })

  it('is carried out once, however often it is asked under its key', () => {
    fc.assert(
      fc.property(fc.nat(), (seed) => {
        const sim = fresh(seed)
        const asked = ask(sim, seed, 15)
        const before = JSON.stringify(sim.world)
        for (const { key, verb, args } of asked) sim.command(key, verb, args)
        expect(JSON.stringify(sim.world)).toBe(before)
      }),
      { ...runs, numRuns: 8 },
    )
  })

  it('gives the same history to the byte for the same seed', () => {
    const [left, right] = [fresh(11), fresh(11)]
    ask(left, 11, 40)
    ask(right, 11, 40)
    expect(JSON.stringify(right.world)).toBe(JSON.stringify(left.world))
    expect(JSON.stringify(right.snapshot())).toBe(JSON.stringify(left.snapshot()))
  })
})
