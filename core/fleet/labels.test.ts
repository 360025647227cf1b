import { describe, expect, it } from 'vitest'
import { labelledAs, labelsInUse } from './labels'

const clusters = [
  { name: 'alder', labels: { stage: 'production', team: 'orchids' } },
  { name: 'dill', labels: { stage: 'trial', old: '' } },
  { name: 'elm-12', labels: {} },
]

describe('clusters by their labels', () => {
  it.each([
    ['', ['alder', 'dill', 'elm-12']],
    ['stage=production', ['alder']],
    ['stage!=production', ['dill', 'elm-12']],
    ['stage in (production, trial),!old', ['alder']],
    ['constructor', []],
  ])('%s', (selector, names) => {
    expect(labelledAs(clusters, selector)).toEqual({ ok: true, names })
  })

  it('are not chosen by what is no selector', () => {
    expect(labelledAs(clusters, 'stage = = x')).toEqual({
      ok: false,
      says: 'unable to parse requirement: "stage = = x" is no selector',
    })
  })

  it('have these in use', () => {
    expect(labelsInUse(clusters)).toEqual([
      'old',
      'stage=production',
      'stage=trial',
      'team=orchids',
    ])
  })
})
