import { describe, expect, it } from 'vitest'
import { kindNamed } from '../kinds'
import { demoFleet } from '../testing/demo-fleet'
import { isCovered, nextOccurrence, uncovered, windowNamed } from '.'

const fleet = demoFleet()

function draftOf(kind: string, intent: unknown) {
  const read = kindNamed(kind)?.read(intent)
  if (!read?.ok) throw new Error(JSON.stringify(read?.issues))
  return read.draft
}
const nights = {
  name: 'cloud nights',
  start: '2026-03-03T23:00',
  zone: 'Europe/Lisbon',
  minutes: 90,
  rule: 'FREQ=WEEKLY;BYDAY=TU',
  clusters: ['dill'],
}
const rules = (kind: string, intent: unknown) =>
  draftOf(kind, intent)
    .findings(fleet)
    .map(({ level, rule }) => `${level} ${rule}`)

describe('windows of the demo', () => {
  it('cover what they name; burdock is among those that none covers', () => {
    expect(uncovered(fleet)).toContain('burdock')
    expect(uncovered(fleet)).not.toContain('cedar')
  })

  it('skip the day that is excepted, and keep their local time over the change of the clocks', () => {
    const window = windowNamed(fleet, 'hall nights')
    if (!window) throw new Error('no window')
    const after = (text: string) => {
      const next = nextOccurrence(window, Date.parse(text))
      return next && new Date(next.start).toISOString()
    }
    expect(after('2026-03-22T00:00:00Z')).toBe('2026-03-28T21:00:00.000Z')
    // 4 April is excepted; by then Berlin is an hour further from UTC.
    expect(after('2026-03-29T00:00:00Z')).toBe('2026-04-11T20:00:00.000Z')
  })
})

describe('a window is covering', () => {
  it('by name, or by all of its labels', () => {
    const cluster = { name: 'a', labels: { stage: 'production', hall: 'north' } }
    expect(isCovered({ clusters: ['a'], labels: {} }, cluster)).toBe(true)
    expect(isCovered({ clusters: [], labels: { stage: 'production' } }, cluster)).toBe(true)
    expect(
      isCovered({ clusters: [], labels: { stage: 'production', hall: 'south' } }, cluster),
    ).toBe(false)
    expect(isCovered({ clusters: [], labels: {} }, cluster)).toBe(false)
  })
})

describe('window.set', () => {
  it('tells when it is next, enters it, and takes it away again', () => {
    const draft = draftOf('window.set', nights)
    expect(draft.findings(fleet).map(({ says }) => says)).toEqual([
      'Next 2026-03-03T23:00:00Z, 2026-03-10T23:00:00Z and 2026-03-17T23:00:00Z; covers dill.',
    ])
    const plan = draft.plan(fleet)
    expect(plan.creates).toEqual(['window/cloud nights'])
    expect(plan.steps[0]?.undo).toMatchObject({ verb: 'window.strike' })
    const after = draft.after(fleet)
    expect(after && draft.prove(after, {}).every(({ holds }) => holds)).toBe(true)
    expect(after && uncovered(after)).not.toContain('dill')
  })

  it('puts the former one back, where it takes the place of one', () => {
    const former = windowNamed(fleet, 'archive')
    const plan = draftOf('window.set', { ...nights, name: 'archive' }).plan(fleet)
    expect(plan.alters).toEqual(['window/archive'])
    expect(plan.steps[0]?.undo).toMatchObject({ verb: 'window.set', args: former })
  })

  it('is stopped by what cannot be read and by clusters that are not there', () => {
    expect(rules('window.set', { ...nights, rule: 'FREQ=HOURLY' })).toEqual([
      'stop window.readable',
    ])
    expect(rules('window.set', { ...nights, zone: 'Europe/Nowhere' })).toEqual([
      'stop window.readable',
    ])
    expect(rules('window.set', { ...nights, clusters: ['fennel'] })).toEqual([
      'stop window.cluster.0',
    ])
  })

  it('cautions of a window that covers nothing, and of one that is never again', () => {
    expect(rules('window.set', { ...nights, clusters: [], labels: { stage: 'moon' } })).toContain(
      'caution window.covers',
    )
    expect(rules('window.set', { ...nights, rule: null, start: '2020-01-01T00:00' })).toContain(
      'caution window.never',
    )
  })
})

describe('window.remove', () => {
  it('cautions of clusters that would have none any more', () => {
    expect(rules('window.remove', { name: 'archive' })).toEqual(['caution window.leaves'])
    expect(rules('window.remove', { name: 'no nights' })).toEqual(['stop window.known'])
  })
})
