import { describe, expect, it } from 'vitest'
import { findingsOf, type Finding } from '../changes'
import type { FleetView } from '../fleet'
import { demoFleet } from '../testing/demo-fleet'
import { poolResize } from './resize'

const fleet = demoFleet()
const draft = (fields: object) =>
  poolResize.intent.parse({ cluster: 'cedar', pool: 'general', ...fields })
/** cedar with three more empty nodes in its pool: six hold pods, nine are there. */
const roomy = poolResize.after?.(draft({ count: 9 }), fleet) ?? fleet
const stops = (fields: object, view: FleetView): readonly Finding[] =>
  findingsOf(poolResize, draft(fields), view).filter(({ level }) => level === 'stop')
const goes = (fields: object, view: FleetView) =>
  poolResize
    .plan(draft(fields), view)
    .removes.filter((removed) => removed.startsWith('node/'))
    .map((removed) => removed.split('/').at(-1))
    .sort()

describe('a pool made smaller', () => {
  it('is told of once for each reason, with its pods and the room that they could use', () => {
    const told = stops({ count: 2 }, fleet)
    expect(told.map(({ code }) => code)).toEqual(['held.no-room', 'held.budget'])
    expect(told[0]?.says).toMatch(/and 3 more cannot be moved: no other node takes them\./)
    expect(told[0]?.because.map(({ says }) => says)).toEqual([
      'placed and evicted on a copy of cedar: 4 pods would move, 10 would not',
      'together they ask for 15.2 cores and 33 GiB; on the 2 nodes that lack nothing but room, 0.1 cores and 39.8 GiB are free',
      'none of the nodes of general can be emptied as its pods stand',
    ])
    expect(told[1]?.says).toContain('climate-loop')
  })
  it('is offered the smallest number that works', () => {
    const [told] = stops({ count: 4 }, roomy)
    const offered = told?.remedies.map(({ says }) => says)
    const least = Number(/to (\d) nodes/.exec(offered?.[0] ?? '')?.[1])
    expect(least).toBeGreaterThan(4)
    expect(stops({ count: least }, roomy)).toEqual([])
    for (let fewer = least - 1; fewer > 3; fewer--)
      expect(stops({ count: fewer }, roomy)).not.toEqual([])
  })
  it('gives up the nodes whose pods move best: the empty ones', () => {
    expect(goes({ count: 6 }, roomy)).toEqual([
      'cedar-general-7',
      'cedar-general-8',
      'cedar-general-9',
    ])
  })
  it('gives up the nodes that are named, or tells why not, and which would do', () => {
    expect(goes({ count: 8, nodes: ['cedar-general-8'] }, roomy)).toEqual(['cedar-general-8'])
    const [told] = stops({ count: 8, nodes: ['cedar-general-1'] }, roomy)
    expect(told?.says).toContain('climate-loop')
    expect(told?.remedies.map(({ says }) => says)).toEqual(['Give up cedar-general-9 instead'])
  })
  it('proves that the nodes named have left', () => {
    const proofs = poolResize.prove(draft({ count: 6, nodes: ['cedar-general-2'] }), fleet, {})
    expect(proofs.map(({ holds }) => holds)).toEqual([false, true])
  })
  it.each<[string, readonly string[], number, string]>([
    ['that the pool does not have', ['cedar-batch-1'], 5, 'general has no node cedar-batch-1.'],
    ['twice', ['cedar-general-1', 'cedar-general-1'], 4, 'cedar-general-1 is named twice.'],
    [
      'beyond what it gives up',
      ['cedar-general-1', 'cedar-general-2'],
      5,
      '2 nodes are named to be given up, but general with 5 nodes gives up 1.',
    ],
    [
      'although it grows',
      ['cedar-general-1'],
      7,
      '1 node is named to be given up, but general with 7 nodes gives up none.',
    ],
  ])('refuses nodes %s', (_, nodes, count, says) =>
    expect(stops({ count, nodes }, fleet).map((told) => told.says)).toContain(says),
  )
})
