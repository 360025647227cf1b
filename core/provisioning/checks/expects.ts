/** Walks that a draft brings: each under its own name, each to and from clusters that there are. */
import type { RawFinding } from '../../changes'
import type { Check } from '../planned'
import { put } from './machines'
import { said } from './says'

export const checkExpects: Check = ({ intent, view }) => {
  const expects = intent.expects ?? []
  const clusters = new Set([intent.name, ...view.clusters.map(({ name }) => name)])
  return expects.flatMap((expect, index): readonly RawFinding[] => {
    const field = `expects[${index}]`
    const without = {
      says: `Leave out “${expect.name}”`,
      change: put(
        'expects',
        expects.filter((kept) => kept !== expect),
      ),
    }
    const [missing] = [expect.from, expect.to].flatMap((end) =>
      'cluster' in end && end.cluster !== undefined && !clusters.has(end.cluster)
        ? [end.cluster]
        : [],
    )
    const stops: RawFinding[] = []
    if (missing !== undefined)
      stops.push({
        level: 'stop',
        rule: `expects.cluster.${index}`,
        field,
        ...said('expects.cluster', { name: expect.name, cluster: missing }),
        because: [
          { ...said('clusters-known', { clusters: [...clusters].slice(1) }), source: 'register' },
        ],
        offers: [without],
      })
    if (expects.findIndex(({ name }) => name === expect.name) < index)
      stops.push({
        level: 'stop',
        rule: `expects.twice.${index}`,
        field,
        ...said('expects.twice', { name: expect.name }),
        because: [],
        offers: [without],
      })
    return stops
  })
}
