import { describe, expect, it } from 'vitest'
import { goesWith, standsOn, type Traces } from './stands-on'

const traces = (parts: Partial<Traces>): Traces => ({
  made: [],
  altered: [],
  removed: [],
  ...parts,
})

describe('what goes with what', () => {
  it.each([
    ['namespace/cedar/market', 'deployment/cedar/market/desk', true],
    ['namespace/cedar/market', 'namespace/cedar/market', true],
    ['namespace/cedar/market', 'deployment/cedar/climate/desk', false],
    ['namespace/cedar/market', 'deployment/dill/market/desk', false],
    ['cluster/elm-12', 'node/elm-12/elm-12-cp-1', true],
    ['cluster/elm-12', 'cluster/elm-1', false],
    ['site/mossgate', 'machine/mossgate/cedar-1', true],
    ['deployment/cedar/market/desk', 'service/cedar/market/desk', false],
  ])('with %s goes %s: %s', (outer, inner, expected) => {
    expect(goesWith(outer, inner)).toBe(expected)
  })
})

describe('a later run stands on an earlier one', () => {
  const space = traces({ made: ['namespace/cedar/market'] })
  it('where it wrote into what the earlier one made, or changed it', () => {
    expect(standsOn(space, traces({ made: ['deployment/cedar/market/desk'] }))).toBe(true)
    expect(standsOn(space, traces({ altered: ['namespace/cedar/market'] }))).toBe(true)
    expect(standsOn(space, traces({ made: ['namespace/cedar/other'] }))).toBe(false)
  })
  it('where both changed one thing, but not where they changed neighbours', () => {
    const pool = traces({ altered: ['pool/cedar/general'] })
    expect(standsOn(pool, traces({ altered: ['pool/cedar/general'] }))).toBe(true)
    expect(standsOn(pool, traces({ altered: ['pool/cedar/storage'] }))).toBe(false)
  })
  it('where it made again what the earlier one removed', () => {
    expect(
      standsOn(
        traces({ removed: ['service/cedar/market/desk'] }),
        traces({ made: ['service/cedar/market/desk'] }),
      ),
    ).toBe(true)
  })
})
