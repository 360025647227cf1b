import { expect, it } from 'vitest'
import { demoFleet, withCalls } from '../testing/demo-fleet'
import { writeYaml } from '../objects'
import type { FleetView } from '../fleet'
import { manifestApply } from './apply'

const fleet = withCalls(demoFleet(), 'cedar')
const service = (name: string) => ({
  apiVersion: 'v1',
  kind: 'Service',
  metadata: { name, namespace: 'climate' },
  spec: {
    type: 'LoadBalancer',
    selector: { app: 'climate-loop' },
    ports: [{ port: 443, targetPort: 8080 }],
  },
})
const intent = {
  cluster: 'cedar',
  text: [service('east'), service('west')].map(writeYaml).join('---\n'),
  manager: 'team-files',
  resolve: {},
}
const told = (view: FleetView): readonly string[] =>
  manifestApply
    .check(intent, view)
    .filter(({ rule }) => rule.startsWith('virtual.'))
    .map(({ says }) => says)

it('services of one text are promised addresses of their own, and the run keeps them', () => {
  const [first = '', second = ''] = manifestApply
    .plan(intent, fleet)
    .reserves.map((reservation) => reservation.what)
  expect(first).not.toBe(second)
  expect(told(fleet)).toEqual([
    `climate/east would be reached at ${first}.`,
    `climate/west would be reached at ${second}.`,
  ])
  const held: FleetView = {
    ...fleet,
    reservations: [{ kind: 'address', site: 'mossgate', what: first, change: 'c-1' }],
  }
  expect(told(held)[0]).toBe(`climate/east would be reached at ${second}.`)
})
