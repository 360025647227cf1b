/** The steps of an upgrade, held against every plan there is on drawn paths and catalogues. */
import { describe, expect, it } from 'vitest'
import { seeded } from '../units'
import { type AddOnStep, addOnSteps, type AddOnVersion, fits } from './add-on-steps'
import { isNewer, isTooOld } from './skew'
import { type Turnover, turnoversOf } from './turnovers'
import { clusterUpgrade } from './upgrade'

const path = (from: number, to: number): readonly string[] =>
  Array.from({ length: to - from + 1 }, (_, nth) => `1.${from + nth}.3`)

describe('how far agents may lag', () => {
  it.each([
    ['1.25.1', '1.27.0', false],
    ['1.24.9', '1.27.0', true],
    ['1.25.1', '1.28.0', false],
    ['1.24.9', '1.28.0', true],
    ['1.30.0', '1.33.2', false],
    ['1.29.9', '1.33.0', true],
    ['0.33.0', '1.33.0', true],
  ])('agents of %s are too old for %s: %s', (agent, api, expected) =>
    expect(isTooOld(agent, api)).toBe(expected),
  )

  it('is measured by minors, and newness by whole versions', () => {
    expect(isNewer('1.33.1', '1.33.0')).toBe(true)
    expect(isNewer('1.33.0', '1.33.0')).toBe(false)
  })
})

describe('turnovers of a pool', () => {
  it('are four from 1.24 to 1.33', () => {
    expect(turnoversOf(path(24, 33), '1.24.3').map(({ to }) => to)).toEqual([
      '1.26.3',
      '1.29.3',
      '1.32.3',
      '1.33.3',
    ])
  })

  it('are none for a pool that is there already, and one for another patch', () => {
    expect(turnoversOf(['1.33.3'], '1.33.3')).toEqual([])
    expect(turnoversOf(['1.33.3'], '1.33.1')).toEqual([{ at: 0, from: '1.33.1', to: '1.33.3' }])
  })

  it('are the fewest, each as late as it may be, of all sets of places', () => {
    const random = seeded(5)
    for (let round = 0; round < 300; round += 1) {
      const first = 24 + Math.floor(random() * 5)
      const along = path(first, first + Math.floor(random() * 9))
      const version = `1.${first - Math.floor(random() * 3)}.1`
      if (isTooOld(version, along[0] ?? '')) continue
      const works = (places: readonly number[]): boolean => {
        let current = version
        for (const [at, release] of along.entries()) {
          if (isTooOld(current, release)) return false
          if (places.includes(at)) current = release
        }
        return current === along.at(-1)
      }
      const all = Array.from({ length: 2 ** along.length }, (_, bits) =>
        along.flatMap((_release, at) => ((bits >> at) & 1 ? [at] : [])),
      ).filter(works)
      const fewest = Math.min(...all.map((places) => places.length))
      const [latest] = all
        .filter((places) => places.length === fewest)
        .sort((a, b) => {
          const nth = a.findIndex((place, index) => place !== b[index])
          return nth < 0 ? 0 : (b[nth] ?? 0) - (a[nth] ?? 0)
        })
      expect(turnoversOf(along, version).map(({ at }: Turnover) => at)).toEqual(latest)
    }
  })
})

describe('steps of an add-on', () => {
  /** Every plan with at most so many steps, by plain search. */
  function everyPlan(
    along: readonly string[],
    installed: string,
    versions: readonly AddOnVersion[],
    limit: number,
  ): readonly (readonly AddOnStep[])[] {
    const named = new Map(versions.map((of) => [of.version, of]))
    const isFit = (version: string, at: number): boolean => {
      const of = named.get(version)
      return of !== undefined && fits(of, along[at] ?? '')
    }
    const plans: AddOnStep[][] = []
    const go = (version: string, at: number, steps: AddOnStep[]): void => {
      if (steps.length < limit)
        for (const { version: next, replaces = [] } of versions)
          if (next !== version && replaces.includes(version) && isFit(next, at))
            go(next, at, [...steps, { at, from: version, to: next }])
      if (at === along.length - 1) plans.push(steps)
      else if (isFit(version, at + 1)) go(version, at + 1, steps)
    }
    if (isFit(installed, 0)) go(installed, 0, [])
    return plans
  }

  it('are the fewest, then the latest, then the highest, of every plan', () => {
    const random = seeded(29)
    const names = ['0.9.1', '1.0.0', '1.1.2', '1.2.0', '1.10.0', '2.0.1']
    let impossible = 0
    let several = 0
    for (let round = 0; round < 1500; round += 1) {
      const along = path(25, 26 + Math.floor(random() * 5))
      const versions = names.map((version, nth): AddOnVersion => {
        const min = 23 + nth + Math.floor(random() * 3)
        return {
          version,
          ...(random() < 0.9 ? { min: `1.${min}` } : {}),
          ...(random() < 0.9 ? { max: `1.${min + 1 + Math.floor(random() * 2)}` } : {}),
          replaces: names.filter(() => random() < 0.45),
        }
      })
      const installed = names[Math.floor(random() * 3)] ?? ''
      const plans = everyPlan(along, installed, versions, 4)
      const result = addOnSteps(along, installed, versions)
      if (plans.length === 0) {
        impossible += 1
        expect(result.ok).toBe(false)
        continue
      }
      const fewest = Math.min(...plans.map((steps) => steps.length))
      if (fewest > 1) several += 1
      const [best] = plans
        .filter((steps) => steps.length === fewest)
        .sort((a, b) => {
          const place = a.findIndex((step, nth) => step.at !== b[nth]?.at)
          if (place >= 0) return (b[place]?.at ?? 0) - (a[place]?.at ?? 0)
          const name = a.findIndex((step, nth) => step.to !== b[nth]?.to)
          return name < 0 ? 0 : names.indexOf(b[name]?.to ?? '') - names.indexOf(a[name]?.to ?? '')
        })
      expect(result).toEqual({ ok: true, steps: best })
    }
    expect(impossible).toBeGreaterThan(100)
    expect(several).toBeGreaterThan(50)
  })

  it('say the first version that cannot be reached, and what is wrong at the beginning', () => {
    const versions = [
      { version: '1.0.0', max: '1.26' },
      { version: '1.1.0', min: '1.26', max: '1.27', replaces: ['1.0.0'] },
    ]
    expect(addOnSteps(path(25, 30), '1.0.0', versions)).toEqual({
      ok: false,
      at: '1.28.3',
      reason: 'no-way',
    })
    expect(addOnSteps(path(25, 30), '3.0.0', versions)).toMatchObject({
      at: '1.25.3',
      reason: 'unknown',
    })
    expect(addOnSteps(path(25, 30), '1.1.0', versions)).toMatchObject({
      at: '1.25.3',
      reason: 'unfit',
    })
  })
})

describe('an upgrade', () => {
  const releases = path(24, 33).map((version) => ({ version }))
  const edges = path(24, 32).map((from, nth) => ({ from, to: `1.${25 + nth}.3` }))
  const asked = {
    releases,
    edges,
    from: '1.24.3',
    to: '1.33.3',
    pools: [
      { name: 'general', version: '1.24.3' },
      { name: 'late', version: '1.22.0' },
    ],
    addOns: [],
    addOnCatalogue: [],
  }

  it('puts add-ons first, then pools in their order, then the control plane', () => {
    const { steps, problems } = clusterUpgrade({
      ...asked,
      to: '1.25.3',
      addOns: [
        { name: 'b', version: '1.0.0' },
        { name: 'a', version: '1.0.0' },
      ],
      addOnCatalogue: ['a', 'b'].map((name) => ({
        name,
        versions: [
          { version: '1.0.0', max: '1.24' },
          { version: '1.1.0', replaces: ['1.0.0'] },
        ],
      })),
    })
    expect(problems).toEqual([])
    expect(
      steps.map((step) =>
        `${step.kind} ${'pool' in step ? step.pool : ''}${'name' in step ? step.name : ''}`.trim(),
      ),
    ).toEqual([
      'add-on b',
      'add-on a',
      'turnover late',
      'control-plane',
      'turnover general',
      'turnover late',
    ])
  })

  it('names everything that stands in the way, with no step', () => {
    const told = clusterUpgrade({
      ...asked,
      edges: edges.slice(0, 3),
      pools: [
        { name: 'ahead', version: '1.24.9' },
        { name: 'behind', version: '1.21.0' },
      ],
      addOns: [{ name: 'trellis', version: '0.1.0' }],
    })
    expect(told.path).toBe(null)
    expect(told.steps).toEqual([])
    expect(told.problems.map(({ kind, name, at }) => [kind, name, at])).toEqual([
      ['no-path', undefined, undefined],
      ['pool-newer', 'ahead', '1.24.3'],
      ['pool-too-old', 'behind', '1.24.3'],
      ['add-on', 'trellis', '1.24.3'],
    ])
  })
})
