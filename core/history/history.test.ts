import { describe, expect, it } from 'vitest'
import { seeded } from '../units'
import { delta, differencesIn, isAbout, type Json, keptOf, staying, turnOf, withDelta } from '.'

const round = (before: Json, after: Json): Json => {
  const difference = delta(before, after)
  return difference ? withDelta(before, JSON.parse(JSON.stringify(difference)) as never) : before
}

describe('differences of a slice', () => {
  it('is none between likes, whatever the order of their fields', () => {
    expect(delta({ a: 1, b: [1, { name: 'x' }] }, { b: [1, { name: 'x' }], a: 1 })).toBeNull()
  })

  it('costs an item that changed, not its list', () => {
    const nodes = (count: number, ready: string): Json =>
      Array.from({ length: count }, (_, index) => ({
        name: `n-${index}`,
        ready: index === 7 ? ready : 'True',
        labels: { zone: 'a', text: 'x'.repeat(50) },
      }))
    const difference = delta(nodes(400, 'True'), nodes(400, 'False'))
    expect(JSON.stringify(difference).length).toBeLessThan(120)
    expect(withDelta(nodes(400, 'True'), difference ?? { set: null })).toEqual(nodes(400, 'False'))
  })

  it('takes what is undefined for what is not there', () => {
    const given: { readonly a: number; readonly b?: number | undefined } = { a: 1, b: undefined }
    const before = given as Json
    expect(delta(before, { a: 1 })).toBeNull()
    expect(delta({ a: 1 }, before)).toBeNull()
    expect(round({ a: 1, b: 2 }, before)).toEqual({ a: 1 })
  })

  it('makes the later content out of the former one, through text, whatever they are', () => {
    const draw = seeded(7)
    const random = { whole: (below: number): number => Math.floor(draw() * below) }
    const make = (depth: number): Json => {
      const kind = random.whole(depth > 0 ? 7 : 4)
      switch (kind) {
        case 0:
          return null
        case 1:
          return random.whole(3)
        case 2:
          return `t${random.whole(3)}`
        case 3:
          return random.whole(2) === 0
        case 4:
          return Array.from({ length: random.whole(5) }, () => make(depth - 1))
        case 5:
          return Array.from({ length: random.whole(5) }, () => ({
            name: `n${random.whole(6)}`,
            of: make(depth - 1),
          }))
        default:
          return Object.fromEntries(
            Array.from({ length: random.whole(4) }, () => [`k${random.whole(5)}`, make(depth - 1)]),
          )
      }
    }
    for (let turn = 0; turn < 3000; turn++) {
      const [before, after] = [make(4), make(4)]
      expect(round(before, after)).toEqual(after)
    }
  })
})

describe('what differs, by Ref and field', () => {
  const cluster = (ready: boolean, names: readonly string[]): Json => ({
    name: 'cedar',
    release: '1.32.4',
    pools: [
      {
        name: 'general',
        size: 'rack-4',
        nodes: names.map((name) => ({ name, conditions: [{ type: 'Ready', status: ready }] })),
      },
    ],
  })

  it('is told of the node, not of the list that it is in', () => {
    expect(
      differencesIn('cluster/cedar', cluster(true, ['a', 'b']), cluster(false, ['a'])),
    ).toEqual([
      { about: 'node/cedar/a', field: 'conditions[Ready].status', before: true, after: false },
      {
        about: 'node/cedar/b',
        field: '',
        before: { name: 'b', conditions: [{ type: 'Ready', status: true }] },
        after: null,
      },
    ])
  })

  it('names API objects by kind, namespace and name, and things of a site by their kind', () => {
    const pod = (phase: string): Json => [
      { kind: 'Pod', metadata: { namespace: 'irrigation', name: 'p-1' }, status: { phase } },
    ]
    expect(differencesIn('objects/cedar', pod('Pending'), pod('Running'))).toEqual([
      {
        about: 'pod/cedar/irrigation/p-1',
        field: 'status.phase',
        before: 'Pending',
        after: 'Running',
      },
    ])
    expect(
      differencesIn(
        'site/mossgate',
        { firewall: [{ name: 'uplink', enabled: true }] },
        { firewall: [{ name: 'uplink', enabled: false }] },
      ),
    ).toEqual([{ about: 'rule/mossgate/uplink', field: 'enabled', before: true, after: false }])
  })

  it('covers what is in a cluster by the cluster', () => {
    const difference = { about: 'pod/cedar/irrigation/p-1', field: '', before: null, after: 1 }
    expect(isAbout(difference, 'cluster/cedar')).toBe(true)
    expect(isAbout(difference, 'pod/cedar/irrigation/p-1')).toBe(true)
    expect(isAbout(difference, 'cluster/alder')).toBe(false)
    expect(isAbout(difference, 'pod/cedar/irrigation/p-11')).toBe(false)
  })
})

describe('retention', () => {
  const hour = 3_600_000
  it('keeps a week whole, then the last of an hour, then the last of a day', () => {
    const now = 200 * 24 * hour
    const at = (days: number, minutes: number) => ({
      slice: 's',
      at: now - days * 24 * hour + minutes * 60_000,
    })
    const versions = [
      at(120, 0),
      at(120, 300),
      at(120, 600),
      at(10, 1),
      at(10, 59),
      at(10, 61),
      at(2, 1),
      at(2, 2),
    ]
    expect(keptOf(versions, now)).toEqual([
      at(120, 600),
      at(10, 59),
      at(10, 61),
      at(2, 1),
      at(2, 2),
    ])
  })

  it('does not let one slice stand for another', () => {
    const versions = [
      { slice: 'a', at: 0 },
      { slice: 'b', at: 1 },
    ]
    expect(keptOf(versions, 100 * 24 * hour)).toEqual(versions)
  })
})

describe('since when', () => {
  const turn = (values: string) =>
    turnOf(values.length, (index) => Promise.resolve(values[index] ?? ''))

  it('finds the latest turn, with few looks', async () => {
    expect(await turn('aaaaaaab')).toMatchObject({ before: 6, since: 7, was: 'a', is: 'b' })
    expect(await turn('abababbb')).toMatchObject({ before: 4, since: 5, was: 'a', is: 'b' })
    const long = await turn(`${'a'.repeat(5000)}${'b'.repeat(3000)}`)
    expect(long).toMatchObject({ before: 4999, since: 5000 })
    expect(long?.asked).toBeLessThan(30)
  })

  it('says where it never was otherwise, and where nothing is known', async () => {
    expect(await turn('bbbb')).toMatchObject({ before: null, since: 0, was: null, is: 'b' })
    expect(await turn('')).toBeNull()
  })
})

describe('making room', () => {
  const whole = (id: number, bytes = 100) => ({ id, base: null, bytes })
  const difference = (id: number, base: number) => ({ id, base, bytes: 10 })
  const versions = [whole(1), difference(2, 1), difference(3, 1), whole(4), difference(5, 4)]
  const left = (room: number, kept = versions, last = [5]): readonly number[] =>
    [...staying(versions, kept, new Set(last), room)].sort((a, b) => a - b)

  it('lets the oldest go until what stays takes no more than the room', () => {
    expect(left(230)).toEqual([1, 2, 3, 4, 5])
    expect(left(220)).toEqual([1, 3, 4, 5])
  })

  it('keeps a whole version while a difference against it stays, and lets it go with the last', () => {
    expect(left(215)).toEqual([4, 5])
    expect(left(0)).toEqual([4, 5])
  })

  it('counts whole versions that stay only for what is made of them', () => {
    expect(left(219, [difference(3, 1), whole(4), difference(5, 4)])).toEqual([4, 5])
    expect(left(220, [difference(3, 1), whole(4), difference(5, 4)])).toEqual([1, 3, 4, 5])
  })
})
