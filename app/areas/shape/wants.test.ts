import { describe, expect, it } from 'vitest'
import { restWants, restWell, spendWants } from './wants'

const row = (name: string, resting: boolean, isMeantToRest: boolean | null) => ({
  name,
  resting,
  isMeantToRest,
})

describe('rest', () => {
  it('wants attention where a cluster does not what its calendar says', () => {
    const rows = [
      row('dill', false, true),
      row('cedar', false, null),
      row('alder', true, false),
      row('sorrel', true, true),
      row('bramble', true, null),
    ]
    expect(restWants(rows)).toEqual([
      'up though the calendar has them rest: dill',
      'at rest though the calendar has them up: alder',
    ])
    expect(restWants(rows.filter(({ name }) => name === 'sorrel' || name === 'cedar'))).toEqual([])
  })

  it('says how many calendars are kept', () => {
    expect(restWell([row('cedar', false, null)])).toBe('no cluster has a calendar')
    expect(restWell([row('dill', true, true)])).toBe('1 calendar, kept')
    expect(restWell([row('dill', true, true), row('alder', false, false)])).toBe(
      '2 calendars, all kept',
    )
  })
})

describe('spend', () => {
  const hour = 3_600_000
  it.each([
    // 10 units an hour so far.
    [
      { soFar: { units: 100, ms: 10 * hour }, coming: { units: 7200, ms: 720 * hour }, idle: 0.1 },
      [],
    ],
    [
      { soFar: { units: 100, ms: 10 * hour }, coming: { units: 9000, ms: 720 * hour }, idle: null },
      ['costs 25 % more an hour than this month so far'],
    ],
    [
      { soFar: { units: 0, ms: 0 }, coming: { units: 9000, ms: 720 * hour }, idle: 0.55 },
      ['55 % of it is asked for by nobody'],
    ],
  ])('of %j wants %j', (paces, wants) => expect(spendWants(paces)).toEqual(wants))
})
